#pragma once
// A study as a sentence with blanks to fill. What is filled in is an edit of the document, in every variant.

#include <QWidget>

#include <cell/model/study.h>
#include <desktop/looks/flow_layout.h>
#include <desktop/session/open_cell.h>

namespace escarp::desktop {

class StudySentence : public QWidget {
    Q_OBJECT
public:
    explicit StudySentence(OpenCell& open, QWidget* parent = nullptr);
    void show(const QString& study);  ///< id; empty: none
    /// One more thing to vary: in this study.
    void vary(const QString& path);

protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;

private:
    void rebuild();
    const cell::Study* study() const;
    void words(const QString& text);
    void put(QWidget* widget, const QString& name);
    void blank(const QString& name, const std::string& key, double value, double low, double high, int wide,
        bool whole = false);
    void choice(const QString& name, const std::string& at, const std::vector<std::pair<QString, cell::json>>& all,
        const cell::json& now);
    void away(const QString& name, const QString& hint, std::function<void()> act);
    void link(const QString& text, const QString& name, std::function<void()> act);
    void add_varied(std::size_t index, const cell::Varied& varied);
    void add_looked_at(const cell::Study& study);
    void add_kept(const cell::Study& study);
    void add_how_often(const cell::Study& study);
    void offer_numbers(QWidget* below);
    void set(const std::string& key, const cell::json& value);  ///< of the study
    std::vector<std::pair<QString, cell::json>> figures() const;

    OpenCell& open_;
    QString study_;
    std::string shown_;
    FlowLayout* flow_;
};

/// An edit of the document in every variant, whichever is looked at.
void edit_studies(OpenCell& open, const QString& title, const cell::Operations& operations);

}  // namespace escarp::desktop
