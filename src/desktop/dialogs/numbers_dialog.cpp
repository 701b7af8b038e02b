#include "numbers_dialog.h"

#include <QDialogButtonBox>
#include <QFormLayout>
#include <QPushButton>

namespace escarp::desktop {

NumbersDialog::NumbersDialog(const QString& title, const std::vector<AskedNumber>& numbers, QWidget* parent)
    : QDialog(parent) {
    setObjectName("numbers_dialog");
    setWindowTitle(title);
    auto* form = new QFormLayout(this);
    for (std::size_t i = 0; i < numbers.size(); ++i) {
        const AskedNumber& n = numbers[i];
        auto* field = new NumberField(n.unit, n.low, n.high);
        field->setObjectName(n.name);
        field->setAccessibleName(n.label);
        field->set_value(n.value);
        fields_.push_back(field);
        now_.push_back(n.value);
        const auto take = [this, i](double v) {
            now_[i] = v;
            if (tried) tried(now_);
        };
        connect(field, &NumberField::tried, this, take);
        connect(field, &NumberField::changed, this, take);
        form->addRow(n.unit.isEmpty() ? n.label : tr("%1 (%2)").arg(n.label, n.unit), field);
    }
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    form->addRow(buttons);
}

std::vector<double> NumbersDialog::values() const {
    std::vector<double> out;
    for (const NumberField* f : fields_) out.push_back(f->value());
    return out;
}

}  // namespace escarp::desktop
