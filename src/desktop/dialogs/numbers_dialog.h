#pragma once
// Asks for a few numbers and shows what they would do while they are typed.

#include <QDialog>
#include <functional>

#include <desktop/fields/number_field.h>

namespace escarp::desktop {

struct AskedNumber {
    QString name, label, unit;
    double low, high, value;
};

class NumbersDialog : public QDialog {
    Q_OBJECT
public:
    NumbersDialog(const QString& title, const std::vector<AskedNumber>& numbers, QWidget* parent);
    std::vector<double> values() const;
    /// Called with the numbers as they stand, half-typed ones left out.
    std::function<void(const std::vector<double>&)> tried;

private:
    std::vector<NumberField*> fields_;
    std::vector<double> now_;
};

}  // namespace escarp::desktop
