#include "table_dialog.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QPushButton>
#include <QRegularExpression>

#include <desktop/fields/typed_number.h>
#include <desktop/looks/plain_text.h>

namespace escarp::desktop {
namespace {

using Type = cell::Field::Type;
using Choices = std::vector<std::pair<QString, std::string>>;  ///< words and id

/// What a field can name, where that is a list; nothing: anything can be written.
std::optional<Choices> choices_of(const cell::Field& f, const cell::Cell& cell) {
    Choices all;
    const auto add = [&](const auto& things) {
        if (!f.needed() && (!f.usual.is_string() || f.usual.get<std::string>().empty()))
            all.emplace_back(QCoreApplication::translate("TableDialog", "none"), "");
        for (const auto& one : things) all.emplace_back(QString::fromStdString(one.name), one.id);
    };
    switch (f.type) {
        case Type::choice:
            for (const std::string& w : f.words) all.emplace_back(QString::fromStdString(w), w);
            return all;
        case Type::device: add(cell.devices); return all;
        case Type::arm: {
            std::vector<cell::Device> arms;
            std::copy_if(cell.devices.begin(), cell.devices.end(), std::back_inserter(arms),
                [](const cell::Device& d) { return d.arm.has_value(); });
            add(arms);
            return all;
        }
        case Type::tool_model: add(cell.tool_models); return all;
        case Type::arm_model: add(cell.arm_models); return all;
        case Type::part_type: add(cell.part_types); return all;
        default: return std::nullopt;
    }
}

/// What is written in a line, as the table wants it; what cannot be that is refused with what is expected.
cell::json said_in(const QString& text, Type type, const QString& unit) {
    if (type == Type::number || type == Type::whole) {
        const std::optional<double> typed = typed_number(text, unit);
        return typed ? cell::json(*typed) : cell::json(text.toStdString());
    }
    if (type == Type::numbers || type == Type::vector) {
        cell::json all = cell::json::array();
        for (const QString& one : QString(text).replace(',', ' ').split(' ', Qt::SkipEmptyParts)) {
            const std::optional<double> typed = typed_number(one, unit);
            all.push_back(typed ? cell::json(*typed) : cell::json(one.toStdString()));
        }
        return all;
    }
    if (type == Type::ids || type == Type::texts) {
        cell::json all = cell::json::array();
        for (const QString& id : QString(text).replace(',', ' ').split(' ', Qt::SkipEmptyParts))
            all.push_back(id.toStdString());
        return all;
    }
    if (type == Type::anything) {
        cell::json value = cell::json::parse(text.toStdString(), nullptr, false);
        return value.is_discarded() ? cell::json(text.toStdString()) : value;
    }
    return text.toStdString();
}

}  // namespace

TableDialog::TableDialog(const QString& title, const cell::Fields& fields, const Workspace& workspace,
    const QString& name, Ends ends, QWidget* parent)
    : QDialog(parent) {
    setObjectName(name + "_dialog");
    setWindowTitle(title_text(title));
    auto* form = new QFormLayout(this);
    for (const cell::Field& f : fields) {
        QWidget* made = editor(f, workspace);
        made->setObjectName(name + "_" + QString::fromStdString(f.key));
        made->setToolTip(plain(QString::fromStdString(f.help)));
        const std::string sign = cell::unit_sign(f.key);
        const QString unit = sign == "deg" ? QStringLiteral("\u00b0") : QString::fromStdString(sign).trimmed();
        // In a list there are names, and no ids.
        const QString label = QString::fromStdString(f.label).remove(QRegularExpression("^id of (a|an|the) "));
        form->addRow(plain_label(unit.isEmpty() ? label : tr("%1, %2").arg(label, unit)), made);
    }
    auto* buttons = new QDialogButtonBox(
        (ends == Ends::save ? QDialogButtonBox::Save : QDialogButtonBox::Ok) | QDialogButtonBox::Cancel);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    form->addRow(buttons);
}

QWidget* TableDialog::editor(const cell::Field& f, const Workspace& workspace) {
    if (f.type == Type::flag) {
        auto* box = new QCheckBox;
        box->setChecked(f.usual == true);
        read_.emplace_back(f.key, [box] { return cell::json(box->isChecked()); });
        return box;
    }
    if (const auto all = choices_of(f, *workspace.open.cell())) {
        auto* box = new QComboBox;
        // The first that can be what is selected is that.
        const bool of_selected = (f.type == Type::device || f.type == Type::arm) && !f.usual.is_string();
        const cell::json now = of_selected && !selected_taken_
                                   ? cell::json(workspace.selection.first().device.toStdString())
                                   : cell::json(f.usual);
        for (const auto& [words, id] : *all) {
            box->addItem(words, QString::fromStdString(id));
            if (now == id) box->setCurrentIndex(box->count() - 1), selected_taken_ = selected_taken_ || of_selected;
        }
        read_.emplace_back(f.key, [box, left_out = !f.usual.is_string()] {
            const std::string id = box->currentData().toString().toStdString();
            return id.empty() && left_out ? cell::json() : cell::json(id);
        });
        return box;
    }
    const bool instant = f.key == "at" && f.type == Type::number;  // s: the one that is looked at
    if (instant) return line(f, shown_number(std::round(1e3 * workspace.playhead.time()) * 1e-3));
    if (f.usual.is_number()) return line(f, shown_number(f.usual.get<double>()));
    if (f.usual.is_string()) return line(f, QString::fromStdString(f.usual.get<std::string>()));
    return line(f, f.type == Type::ids ? workspace.selection.all().join(", ") : QString());
}

QWidget* TableDialog::line(const cell::Field& f, const QString& text) {
    auto* line = new QLineEdit(text);
    const bool number = f.type == Type::number || f.type == Type::whole;
    if (f.needed()) line->setPlaceholderText(tr("needed"));
    else if (number && f.usual.is_null()) line->setPlaceholderText(tr("as usual"));
    read_.emplace_back(f.key, [line, type = f.type, unit = QString::fromStdString(cell::unit_sign(f.key))] {
        const QString written = line->text().trimmed();
        return written.isEmpty() ? cell::json() : said_in(written, type, unit);
    });
    return line;
}

cell::json TableDialog::said() const {
    cell::json out = cell::json::object();
    for (const auto& [key, read] : read_)
        if (cell::json value = read(); !value.is_null()) out[key] = std::move(value);
    return out;
}

}  // namespace escarp::desktop
