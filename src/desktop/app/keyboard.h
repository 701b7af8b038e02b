#pragma once
// Where the keyboard goes: never into nothing, and the window's own keys work wherever it is.

#include <QObject>
#include <functional>

class QMainWindow;
class QWidget;

namespace escarp::desktop {

/// For one window. A widget that had the keyboard and went away gives it to the view; Undo and Redo are the window's
/// unless a text is being typed; a wheel that turns over a field scrolls what the field is in.
class Keyboard : public QObject {
    Q_OBJECT
public:
    /// `home`: the view that gets the keyboard.
    Keyboard(QMainWindow* window, std::function<QWidget*()> home);

protected:
    bool eventFilter(QObject* watched, QEvent* event) override;

private:
    void focus_went(QWidget* from, QWidget* to);

    QMainWindow* window_;
    std::function<QWidget*()> home_;
};

}  // namespace escarp::desktop
