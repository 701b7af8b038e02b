#pragma once
// What belongs to the cell as a whole: its settings, the parts that are handled, the tools they are handled with, and
// the pairs of devices that are left out of the clearance.

#include <QScrollArea>
#include <QVBoxLayout>
#include <functional>

#include "handling_view.h"

namespace escarp::desktop {

class CellPanel : public QScrollArea {
    Q_OBJECT
public:
    explicit CellPanel(OpenCell& open, const Results& results, Selection& selection, QWidget* parent = nullptr);
    /// Unfolds a part type or a tool and brings it into view.
    void open(const QString& id);
    /// The menu of new part types; what is made is unfolded here.
    void offer_parts(const QPoint& at);

Q_SIGNALS:
    void wants_import();
    void wants_to_be_seen();

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    void rebuild();
    std::string content() const;  ///< everything that is shown, as text
    void add_title(const QString& words, const QString& hint, const QString& link = {}, const QString& name = {},
        const std::function<void(const QPoint&)>& act = {});
    void add_settings();
    void add_part(const cell::PartType& part);
    void add_tool(const cell::ToolModel& tool);
    void add_pairs();
    void add_pair(const cell::Cell& cell, std::size_t nth);
    void offer_tools(const QPoint& at);
    void offer_removal(const std::string& list, const std::string& id, const QPoint& at);
    /// A card with its line; null: it is folded.
    QVBoxLayout* card(const std::string& id, const std::string& name, const QString& info);
    /// Makes an edit; `id`: what it made is unfolded.
    void make(const std::function<cell::Edit(const cell::Layout&, std::string* id)>& edit);
    class QPushButton* button(class QHBoxLayout* row, const QString& words, const QString& name,
        const std::function<void(const QPoint&)>& act);

    OpenCell& open_;
    const Results& results_;
    Selection& selection_;
    QWidget* page_;
    QVBoxLayout* rows_;
    HandlingView* view_;  ///< of whichever card is unfolded; it stays as it is when the cards are made anew
    std::string unfolded_, grip_, shown_;
};

}  // namespace escarp::desktop
