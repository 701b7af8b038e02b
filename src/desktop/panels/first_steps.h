#pragma once
// What to do first, on an empty floor: five lines, each done by a click and ticked off when the cell has it.

#include <QWidget>

#include <desktop/session/selection.h>

class QVBoxLayout;

namespace escarp::desktop {

class FirstSteps : public QWidget {
    Q_OBJECT
public:
    FirstSteps(OpenCell& open, const Results& results, Selection& selection, QWidget* parent);
    /// A new floor: it shows until there is a cycle, or until it is closed.
    void begin();

Q_SIGNALS:
    void wants_catalogue();

private:
    struct Line {
        QString text, hint, name;
        bool done;
        std::function<void()> act;
    };
    std::vector<Line> lines();
    void renew();
    void add_line(QVBoxLayout* layout, const Line& line, std::size_t number, bool next);
    void put(const QString& label, const geometry::Frame& world, const cell::json& over = cell::json::object());
    void paintEvent(QPaintEvent*) override;

    OpenCell& open_;
    const Results& results_;
    Selection& selection_;
    bool wanted_ = true, closed_ = false;
};

}  // namespace escarp::desktop
