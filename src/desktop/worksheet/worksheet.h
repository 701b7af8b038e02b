#pragma once
// Worksheet: one card per device with its steps as lines, edited in place.

#include <QLabel>
#include <QPointer>
#include <QScrollArea>
#include <QVBoxLayout>

#include <desktop/fields/field_grid.h>
#include <desktop/session/workspace.h>

namespace escarp::desktop {

class Worksheet : public QScrollArea {
    Q_OBJECT
public:
    explicit Worksheet(Workspace& workspace, QWidget* parent = nullptr);

    /// Groups of fields on the selected card that are folded: "place", "arm", "moves", "signals".
    void unfold(const QString& group, bool open = true);

Q_SIGNALS:
    void wants_device(const QPoint& global);  ///< the "+ device" line was used
    void wants_part(const QPoint& global);

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    /// Brings the cards up to date; only those whose content has changed are made anew.
    void rebuild();
    void add_head();
    QWidget* renew_cards();
    void scroll_to(QWidget* chosen);
    std::string card_key(const cell::Device& device, const cell::json& values) const;
    void add_name(QHBoxLayout* header, const cell::Device& device);
    void refresh();  ///< times and marks of the lines
    QWidget* card(const cell::Device& device, const cell::json& values);
    void tell_status();
    void add_folded_fields(QVBoxLayout* layout, const cell::Device& device, const cell::json& values);
    void add_place_fields(QVBoxLayout* layout, const cell::Device& device, const cell::json& values);
    void add_fields(QVBoxLayout* layout, const cell::Device& device, const cell::json& values);
    void add_step_fields(
        QVBoxLayout* layout, const cell::Device& device, const cell::Step& step, const cell::json& values);
    void add_step_buttons(QVBoxLayout* layout, const cell::Device& device, const cell::Step& step);
    void add_steps(QVBoxLayout* layout, QWidget* card, const cell::Device& device);
    /// `list`: path of the list of steps that the new one goes into; empty: the task.
    void add_step_menu(QVBoxLayout* layout, const cell::Device& device, const QString& text, const std::string& list);
    void add_side_task_head(QVBoxLayout* layout, const cell::Device& device, const cell::Task& task);
    void add_input_fields(
        FieldGrid& grid, const cell::Device& device, const cell::Signal& input, const cell::json& values);
    void add_signal_fields(QVBoxLayout* layout, const cell::Device& device, const cell::json& values);
    /// Where the fields of a group go; null: it is folded. `about`: what stands in it, while it is.
    QVBoxLayout* group(QVBoxLayout* layout, const QString& name, const QString& title, const QString& about);
    void set_value(const std::string& path, const cell::json& value, const QString& name);

    Workspace& workspace_;
    QWidget* page_;
    QVBoxLayout* cards_;
    struct Made {
        QWidget* card;
        std::string key;
    };
    std::map<std::string, Made> made_;
    QSet<QString> open_;
    std::map<std::string, QPointer<QLabel>> live_;  ///< by device: says what it tells at the cursor
    Selected shown_selection_;                      ///< what was last brought into view
    bool building_ = false;
};

}  // namespace escarp::desktop
