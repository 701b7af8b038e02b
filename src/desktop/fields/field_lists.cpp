// Editors for lists: elements one below the other, bodies, names.

#include <QComboBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QLineEdit>
#include <QRegularExpression>
#include <QTimer>
#include <algorithm>

#include <cell/edits/handling.h>
#include <cell/edits/list_csv.h>
#include <cell/edits/signal_edits.h>
#include <cell/model/tables.h>
#include <cell/text/disk.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

#include "field_editors.h"

namespace escarp::desktop {
namespace {

/// The place of an element: by its id where it has one.
std::string element_path(const std::string& list, const cell::json& element, std::size_t index) {
    const std::string id = element.is_object() ? element.value("id", "") : std::string();
    return list + "/" + (id.empty() ? std::to_string(index) : id);
}

QString element_name(const cell::Field& f, const cell::json& element, std::size_t index) {
    for (const char* key : {"name", "id"})
        if (element.is_object() && element.contains(key) && element[key].is_string())
            return QString::fromStdString(element[key].get<std::string>());
    return QString("%1 %2").arg(said(f.label)).arg(index + 1);
}

/// Asks for a file and puts what it lists in the list's place.
void read_list(OpenCell& open, QObject* context, const std::string& at, const cell::Field& list) {
    const QString file =
        QFileDialog::getOpenFileName(qobject_cast<QWidget*>(context), QObject::tr("Read %1").arg(said(list.label)),
            QString(), QObject::tr("Comma-separated values (*.csv *.txt);;All files (*)"));
    if (file.isEmpty()) return;
    const QString name = QFileInfo(file).fileName();
    try {
        constexpr std::size_t largest = 8u << 20;
        const std::string csv = cell::read_file(file.toStdString(), largest);
        const cell::Edit edit = cell::list_from_csv(open.layout(), at, list, csv);
        QTimer::singleShot(0, context, [&open, edit] { open.apply(edit); });
    } catch (const cell::InputError& e) {
        Q_EMIT open.refused(
            QObject::tr("%1 cannot be read").arg(name), QString::fromStdString(e.problems().front().message));
    }
}

}  // namespace

void FieldEditors::elements(const cell::Field& f) {
    const cell::json all = group_.values.value(f.key, cell::json::array());
    const std::string at = path(f);
    constexpr std::size_t most_shown = 40;
    for (std::size_t i = 0; i < std::min(all.size(), most_shown); ++i) {
        cell::json rest = all;
        rest.erase(i);
        const QString names = group_.names + QString::fromStdString(f.key);
        heading(element_name(f, all[i], i), QObject::tr("remove"), names + "_remove_" + QString::number(i),
            [s = setter(at), rest] { s.set(rest); });
        nested(f, element_path(at, all[i], i), all[i], f.inner());
    }
    cell::json fresh = cell::fresh_of(f.inner());
    if (cell::find_field(f.inner(), "id")) {
        std::string id;
        const auto taken = [&] {
            return std::any_of(all.begin(), all.end(), [&](const cell::json& e) { return e.value("id", "") == id; });
        };
        int n = static_cast<int>(all.size());
        do id = f.label.substr(0, f.label.find(' ')) + "_" + std::to_string(++n);
        while (taken());
        fresh["id"] = id;
    }
    if (!all.empty() && f.key == "grips") {  // like the last one, for there is no better guess
        const std::string id = fresh["id"];
        fresh = all.back();
        fresh["id"] = id;
    }
    if (all.size() > most_shown) heading(QObject::tr("\u2026 and %1 more").arg(all.size() - most_shown));
    if (cell::reads_csv(f))
        heading(all.empty() ? said(f.label) : QString(), QObject::tr("from CSV \u2026"),
            group_.names + QString::fromStdString(f.key) + "_csv", [&open = open_, context = context_, at, f] {
                // By the event loop: the card may be made anew while the question is open.
                QTimer::singleShot(0, context, [&open, context, at, f] { read_list(open, context, at, f); });
            });
    cell::json more = all;
    more.push_back(fresh);
    heading({}, QObject::tr("+ %1").arg(said(f.label)), group_.names + QString::fromStdString(f.key) + "_add",
        [s = setter(at), more] { s.set(more); });
}

void FieldEditors::bodies(const cell::Field& f) {
    const cell::json all = group_.values.value(f.key, cell::json::array());
    const std::string at = path(f);
    const QString names = group_.names + QString::fromStdString(f.key);
    for (std::size_t i = 0; i < all.size(); ++i) {
        if (!all[i].is_object()) continue;
        cell::json rest = all;
        rest.erase(i);
        const bool last = static_cast<int>(rest.size()) < f.least || rest.empty();
        const std::function<void()> remove = [s = setter(at), rest] { s.set(rest); };
        heading(QObject::tr("body %1").arg(i + 1), QObject::tr("remove"), names + "_remove_" + QString::number(i),
            last ? std::function<void()>() : remove);
        Choices shapes;
        for (const cell::BodyShape& shape : cell::body_shapes()) {  // with all that the shape needs
            cell::json body = cell::json::object();
            for (const char* kept : {"name", "at_mm", "turn_deg"})
                if (all[i].contains(kept)) body[kept] = all[i][kept];
            body["shape"] = shape.word;
            body.update(cell::fresh_of(shape.fields));
            if (shape.word == "mesh" && open_.cell()->meshes.empty()) continue;
            if (shape.word == "mesh") body["mesh"] = open_.cell()->meshes.front().id;
            if (shape.word == "hull") body["points_mm"] = {{0, 0, 0}, {100, 0, 0}, {0, 100, 0}, {0, 0, 100}};
            shapes.emplace_back(said(shape.label), all[i].value("shape", "") == shape.word ? all[i] : body);
        }
        const std::string one = at + "/" + std::to_string(i);
        const EditedGroup own{at, all[i], names + "_" + QString::number(i) + "_", group_.title, group_.owner};
        FieldEditors editors(open_, results_, grid_, context_, own);
        cell::Field shape = *cell::find_field(cell::body_fields(), "shape");
        shape.key = std::to_string(i);  // it is the whole body that changes
        editors.choice(shape, shapes, all[i]);
        if (const cell::BodyShape* found = cell::find_shape(all[i].value("shape", "")))
            nested(f, one, all[i], found->fields);
        cell::Fields common;
        for (const cell::Field& c : cell::body_fields())
            if (c.key != "shape") common.push_back(c);
        nested(f, one, all[i], common);
    }
    cell::json more = all, body{{"shape", "box"}};
    body.update(cell::fresh_of(cell::find_shape("box")->fields));
    more.push_back(body);
    heading({}, QObject::tr("+ body"), names + "_add", [s = setter(at), more] { s.set(more); });
}

/// Ids in one line.
void FieldEditors::id_list(const cell::Field& f) {
    QStringList shown;
    for (const cell::json& one : group_.values.value(f.key, cell::json::array()))
        if (one.is_string()) shown << QString::fromStdString(one.get<std::string>());
    auto* line = new QLineEdit(shown.join(", "));
    line->setPlaceholderText(QObject::tr("none"));
    QObject::connect(line, &QLineEdit::editingFinished, context_, [line, s = setter(f)] {
        if (!line->isModified()) return;
        line->setModified(false);
        cell::json ids = cell::json::array();
        for (const QString& id : line->text().split(QRegularExpression("[ ,;]+"), Qt::SkipEmptyParts))
            ids.push_back(id.toStdString());
        s.set(ids);
    });
    put(line, said(f.label), f);
}

/// A line for each: emptied it goes, changed it is renamed with all that name it; and one more for a new one.
void FieldEditors::own_signals(const cell::Field& f) {
    if (!group_.owner) return;
    const cell::json all = group_.values.value(f.key, cell::json::array());
    for (std::size_t i = 0; i <= all.size(); ++i) {
        const std::string now = i < all.size() && all[i].is_string() ? all[i].get<std::string>() : std::string();
        auto* line = new QLineEdit(QString::fromStdString(now));
        line->setPlaceholderText(QObject::tr("+ signal"));
        line->setToolTip(QObject::tr("A name of letters, digits, - and _; steps set it, others wait for it"));
        QObject::connect(line, &QLineEdit::editingFinished, context_, [line, s = setter(f), device = owner_id(), now] {
            if (!line->isModified()) return;
            line->setModified(false);
            const std::string to = line->text().trimmed().toStdString();
            if (to == now) return;
            s.apply([=](const cell::Layout& l) {
                return now.empty()  ? cell::add_signal(l, device, to)
                       : to.empty() ? cell::remove_signal(l, device, now)
                                    : cell::rename_signal(l, device, now, to);
            });
        });
        cell::Field one = f;
        one.key += "_" + std::to_string(i);
        put(line, i == 0 ? said(f.label) : QString(), one);
    }
}

}  // namespace escarp::desktop
