#pragma once
// A line for a number: takes units and sums, refuses what is not one, and never lets half-typed text out.

#include <QLineEdit>

namespace escarp::desktop {

class NumberField : public QLineEdit {
    Q_OBJECT
public:
    NumberField(const QString& unit, double low, double high, QWidget* parent = nullptr);
    void set_value(double value);  ///< in `unit`; not while it is being edited
    double value() const { return value_; }

Q_SIGNALS:
    void changed(double value);  ///< on Enter or when the field is left, only if the value is another
    void tried(double value);    ///< while it is typed, whenever it is a number that is possible
    void gave_up();              ///< what was tried does not hold: Escape, or the old value again

protected:
    void keyPressEvent(QKeyEvent* event) override;
    void wheelEvent(QWheelEvent* event) override;

private:
    void settle();
    void step(int by, Qt::KeyboardModifiers keys);
    void give_up();
    bool tried_ = false;
    QString unit_;
    double low_, high_, value_ = 0;
};

}  // namespace escarp::desktop
