#include "export_dialog.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLineEdit>

#include "plain_text.h"
#include "typed_number.h"

namespace escarp::desktop {

ExportDialog::ExportDialog(
    const QString& title, const cell::Fields& options, const Workspace& workspace, QWidget* parent)
    : QDialog(parent) {
    setObjectName("export_dialog");
    setWindowTitle(title_text(title));
    auto* form = new QFormLayout(this);
    for (const cell::Field& f : options) {
        QWidget* made = editor(f, workspace);
        made->setObjectName("export_" + QString::fromStdString(f.key));
        form->addRow(plain_label(QString::fromStdString(f.label)), made);
    }
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Save | QDialogButtonBox::Cancel);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    form->addRow(buttons);
}

QWidget* ExportDialog::editor(const cell::Field& f, const Workspace& workspace) {
    using Type = cell::Field::Type;
    const auto choice = [&](const std::vector<std::pair<QString, std::string>>& all) {
        auto* box = new QComboBox;
        for (const auto& [words, id] : all) {
            box->addItem(words, QString::fromStdString(id));
            if (f.usual == id) box->setCurrentIndex(box->count() - 1);
        }
        read_.emplace_back(f.key, [box] { return cell::json(box->currentData().toString().toStdString()); });
        return box;
    };
    std::vector<std::pair<QString, std::string>> all;
    if (f.type == Type::flag) {
        auto* box = new QCheckBox;
        box->setChecked(f.usual == true);
        read_.emplace_back(f.key, [box] { return cell::json(box->isChecked()); });
        return box;
    }
    for (const std::string& w : f.words) all.emplace_back(QString::fromStdString(w), w);
    if (f.type == Type::arm_model)
        for (const auto& m : workspace.cell()->arm_models) all.emplace_back(QString::fromStdString(m.name), m.id);
    if (f.type == Type::device)
        for (const auto& d : workspace.cell()->devices) all.emplace_back(QString::fromStdString(d.name), d.id);
    if (f.type == Type::choice || f.type == Type::arm_model || f.type == Type::device) return choice(all);
    auto* line = new QLineEdit;
    if (f.usual.is_number()) line->setText(shown_number(f.usual.get<double>()));
    if (f.usual.is_string()) line->setText(QString::fromStdString(f.usual.get<std::string>()));
    const bool number = f.type == Type::number || f.type == Type::whole;
    if (number && f.usual.is_null()) line->setPlaceholderText(tr("as usual"));
    const QString unit = QString::fromStdString(cell::unit_sign(f.key));
    read_.emplace_back(f.key, [line, number, unit]() -> cell::json {
        const QString text = line->text().trimmed();
        if (text.isEmpty()) return nullptr;
        if (!number) return text.toStdString();
        const std::optional<double> typed = typed_number(text, unit);
        return typed ? cell::json(*typed) : cell::json(text.toStdString());  // refused with what is expected
    });
    return line;
}

cell::json ExportDialog::said() const {
    cell::json out = cell::json::object();
    for (const auto& [key, read] : read_)
        if (cell::json value = read(); !value.is_null()) out[key] = std::move(value);
    return out;
}

}  // namespace escarp::desktop
