#include "field_editors.h"

#include <QCheckBox>
#include <QColorDialog>
#include <QComboBox>
#include <QInputDialog>
#include <QLineEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QTimer>
#include <algorithm>
#include <cmath>

#include <cell/edits/handling.h>
#include <cell/edits/signal_edits.h>
#include <cell/model/tables.h>
#include <desktop/looks/arm_words.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <simulation/kinds.h>

#include "altered_mark.h"
#include "condition_field.h"
#include "number_field.h"
#include "path_drag.h"
#include "spread_field.h"
#include "typed_number.h"

namespace escarp::desktop {

QString said(const std::string& words) { return QCoreApplication::translate("FieldEditors", words.c_str()); }

namespace {

using Type = cell::Field::Type;

/// The joint solution that the planner has taken for a step; nothing where it was not come to.
std::optional<int> posture_taken(const study::Evaluation& e, const cell::Device& d, const cell::Step& step) {
    const int arm = e.cell->device(d.id);
    const bool of_pose = step.kind->reach() == cell::Reach::pose;
    for (const simulation::Block& b : e.run->trace.blocks) {
        if (arm < 0 || b.device != arm || b.step != step.number || b.to == simulation::never) continue;
        using simulation::BlockKind;
        const bool passing = b.kind == BlockKind::wait || b.kind == BlockKind::straight_out;
        if (b.kind != BlockKind::grip && b.kind != BlockKind::release && (!of_pose || passing)) continue;
        return cell::posture_at(*e.cell->devices[arm].arm, e.run->trace.joints(*e.cell, arm, b.to));
    }
    return std::nullopt;
}

}  // namespace

void FieldEditors::Setter::set(const cell::json& value) const {
    QTimer::singleShot(0, context, [s = *this, value] {
        cell::Edit edit{s.title, {cell::Operation::set(s.at, value)}};
        if (!s.instead.empty() && cell::find(s.open.resolved(), s.instead))
            edit.operations.push_back(cell::Operation::remove(s.instead));
        s.open.apply(edit);
    });
}

FieldEditors::Setter FieldEditors::setter(const cell::Field& f) const {
    return {open_, context_, group_.title.toStdString(), path(f),
        f.instead.empty() ? std::string() : group_.at + "/" + f.instead};
}

void FieldEditors::Setter::remove() const {
    QTimer::singleShot(0, context, [s = *this] {
        if (cell::find(s.open.resolved(), s.at)) s.open.apply({s.title, {cell::Operation::remove(s.at)}});
    });
}

void FieldEditors::Setter::try_out(const cell::json& value) const {
    open.try_quietly({title, {cell::Operation::set(at, value)}});
}

void FieldEditors::Setter::apply(const std::function<cell::Edit(const cell::Layout&)>& edit) const {
    QTimer::singleShot(0, context, [s = *this, edit] {
        try {
            s.open.apply(edit(s.open.layout()));
        } catch (const cell::InputError& e) {
            Q_EMIT s.open.refused(QObject::tr("Not changed"), QString::fromStdString(e.problems().front().message));
        }
    });
}

FieldEditors::FieldEditors(
    OpenCell& open, const Results& results, FieldGrid& grid, QObject* context, const EditedGroup& group)
    : open_(open), results_(results), grid_(grid), context_(context), group_(group) {}

void FieldEditors::add(const cell::Fields& fields) {
    for (const cell::Field& f : fields) add(f);
}

void FieldEditors::add(const cell::Field& f) {
    if (f.old && !group_.values.contains(f.key)) return;
    switch (f.type) {
        case Type::number:
        case Type::whole: return number(f);
        case Type::flag: return flag(f);
        case Type::text: return text(f);
        case Type::id: return id(f);
        case Type::colour: return colour(f);
        case Type::points:
        case Type::numbers: return typed_list(f);
        case Type::vector: return vector(f);
        case Type::group: return group(f);
        case Type::list: return elements(f);
        case Type::bodies: return bodies(f);
        case Type::ids: return f.key == "own_signals" ? own_signals(f) : id_list(f);
        case Type::block: return block(f);
        case Type::condition: return condition(f, true);
        case Type::formula: return condition(f, group_.step ? std::optional(false) : std::nullopt);
        case Type::posture: return posture(f);
        case Type::held: return held(f);
        case Type::steps:
        case Type::texts:
        case Type::pieces:
        case Type::devices:
        case Type::differences:
        case Type::anything: return;  // have places of their own
        default: return choice(f, named(f), group_.values.value(f.key, f.usual));
    }
}

std::string FieldEditors::owner_id() const { return group_.owner ? group_.owner->id : std::string(); }

std::string FieldEditors::text_now(const cell::Field& f) const {
    const auto found = group_.values.find(f.key);
    return found != group_.values.end() && found->is_string() ? found->get<std::string>() : std::string();
}

void FieldEditors::put(QWidget* editor, const QString& label, const cell::Field& f, const QString& unit) {
    editor->setObjectName(group_.names + QString::fromStdString(f.key));
    if (!f.help.empty() && editor->toolTip().isEmpty()) editor->setToolTip(plain(said(f.help)));
    QLabel* name = grid_.add(label, editor, unit);
    mark_altered(open_, context_, editor, name, path(f));
    if (f.type == Type::number || f.type == Type::whole) can_be_varied(open_, name, [at = path(f)] { return at; });
}

/// How a time varies; chosen, it begins with words that fit the mean of before.
void FieldEditors::how_it_varies(const cell::Field& f, const cell::Spread& now) {
    Choices shapes{{QObject::tr("always the same"),
        now.varies() ? cell::json(std::round(now.mean() * 1e3) / 1e3) : cell::json(now.mean())}};
    for (const cell::Spread::Words& w : cell::Spread::words()) {
        const std::string words = w.shape == now.shape() ? now.text() : cell::Spread::example(w.shape, now.mean());
        shapes.emplace_back(QString::fromUtf8(w.word), words);
    }
    auto* box = new QComboBox;
    for (const auto& [words, value] : shapes) box->addItem(words);
    box->setCurrentIndex(now.varies() ? static_cast<int>(now.shape()) : 0);
    box->setToolTip(spread_help());
    QObject::connect(
        box, &QComboBox::activated, context_, [shapes, s = setter(f), at = box->currentIndex()](int index) {
            if (index != at) s.set(shapes[index].second);
        });
    box->setObjectName(group_.names + QString::fromStdString(f.key) + "_varies");
    grid_.add(QObject::tr("varies"), box);
}

void FieldEditors::number(const cell::Field& f) {
    if (f.varies) {
        const auto found = group_.values.find(f.key);
        if (found != group_.values.end() && found->is_string()) {
            auto* line = new SpreadField(QString::fromStdString(found->get<std::string>()));
            QObject::connect(line, &SpreadField::changed, context_, [s = setter(f)](const cell::json& v) { s.set(v); });
            put(line, said(f.label), f);
            return how_it_varies(f, cell::Spread::parse(found->get<std::string>()));
        }
    }
    const QString unit = QString::fromStdString(cell::unit_sign(f.key));
    auto* field = new NumberField(unit, f.low, f.high);
    const auto found = group_.values.find(f.key);
    const double usual = f.usual.is_number() ? f.usual.get<double>() : std::max(0.0, f.low);
    field->set_value(found != group_.values.end() && found->is_number() ? found->get<double>() : usual);
    const auto value = [whole = f.type == Type::whole](
                           double v) { return whole ? cell::json(static_cast<long long>(v)) : cell::json(v); };
    const Setter s = setter(f);
    QObject::connect(field, &NumberField::tried, context_, [s, value](double v) { s.try_out(value(v)); });
    QObject::connect(field, &NumberField::gave_up, context_, [s] { s.open.drop_draft(); });
    QObject::connect(field, &NumberField::changed, context_, [s, value](double v) { s.set(value(v)); });
    put(field, said(f.label), f, unit);
    if (f.varies) how_it_varies(f, {field->value()});
}

void FieldEditors::choice(const cell::Field& f, const Choices& choices, const cell::json& now) {
    auto* box = new QComboBox;
    box->setCurrentIndex(-1);
    for (const auto& [words, value] : choices) box->addItem(words);
    const auto at = std::find_if(choices.begin(), choices.end(), [&](const auto& c) { return c.second == now; });
    box->setCurrentIndex(at == choices.end() ? -1 : static_cast<int>(at - choices.begin()));
    const bool makes = f.type == Type::part_type || f.type == Type::own_signal ||
                       f.type == Type::own_number;  // one that is not there yet
    if (makes)
        box->addItem(f.type == Type::part_type    ? QObject::tr("+ new part")
                     : f.type == Type::own_signal ? QObject::tr("+ new signal \u2026")
                                                  : QObject::tr("+ new number \u2026"));
    QObject::connect(box, &QComboBox::activated, context_,
        [this_field = f, choices, s = setter(f), box, now, at = group_.at, owner = owner_id()](int index) {
            if (index >= static_cast<int>(choices.size())) return make_on_the_spot(s, this_field, owner, at, box);
            const cell::json& chosen = choices[index].second;  // an empty one means "none": the key goes
            if (chosen.is_string() && chosen.get_ref<const std::string&>().empty()) s.remove();
            else s.set(chosen);
        });
    put(box, said(f.label), f);
}

void FieldEditors::flag(const cell::Field& f) {
    const bool on = group_.values.value(f.key, f.usual.is_boolean() && f.usual.get<bool>());
    if (!f.said.empty()) return choice(f, {{said(f.said[0]), true}, {said(f.said[1]), false}}, on);
    auto* box = new QCheckBox;
    box->setChecked(on);
    QObject::connect(box, &QCheckBox::clicked, context_, [s = setter(f)](bool checked) { s.set(checked); });
    put(box, said(f.label), f);
}

void FieldEditors::text(const cell::Field& f) {
    auto* line = new QLineEdit(QString::fromStdString(text_now(f)));
    QObject::connect(line, &QLineEdit::editingFinished, context_, [line, s = setter(f)] {
        if (!line->isModified()) return;
        line->setModified(false);
        s.set(line->text().trimmed().toStdString());
    });
    put(line, said(f.label), f);
}

void FieldEditors::condition(const cell::Field& f, std::optional<bool> on_off) {
    auto* line =
        new ConditionField(open_, owner_id(), group_.step != nullptr, on_off, QString::fromStdString(text_now(f)));
    QObject::connect(
        line, &ConditionField::entered, context_, [s = setter(f)](const QString& text) { s.set(text.toStdString()); });
    put(line, said(f.label), f);
}

void FieldEditors::typed_list(const cell::Field& f) {
    const bool points = f.type == Type::points;
    auto* line = new QLineEdit(group_.values.contains(f.key) ? shown_list(group_.values[f.key]) : QString());
    line->setToolTip(points ? QObject::tr("x y of each corner, in mm: 0 0, 2000 0, 2000 1500")
                            : QObject::tr("Numbers in mm: 500, 3000"));
    QObject::connect(line, &QLineEdit::editingFinished, context_, [line, points, s = setter(f)] {
        if (!line->isModified()) return;
        line->setModified(false);
        const cell::json typed = points ? typed_points(line->text()) : typed_numbers(line->text());
        if (typed.is_null()) return Q_EMIT s.open.refused(QObject::tr("Not understood"), line->toolTip());
        s.set(typed);
    });
    put(line, said(f.label), f, "mm");
}

/// Three numbers in one line.
void FieldEditors::vector(const cell::Field& f) {
    const QString unit = QString::fromStdString(cell::unit_sign(f.key));
    cell::json now = group_.values.value(f.key, f.usual.is_null() ? cell::json::array({0, 0, 0}) : f.usual);
    if (!now.is_array() || now.size() != 3) now = cell::json::array({0, 0, 0});
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(2);
    static const char* letters[] = {"x", "y", "z"};
    for (std::size_t k = 0; k < 3; ++k) {
        auto* field = new NumberField(unit, f.low, f.high);
        field->setObjectName(group_.names + QString::fromStdString(f.key) + "_" + letters[k]);
        field->setAccessibleName(said(f.label) + " " + letters[k]);
        field->setMinimumWidth(30);
        field->setFixedHeight(20);
        field->set_value(now[k].is_number() ? now[k].get<double>() : 0);
        const Setter s = setter(f);
        const auto with = [now, k](double v) {
            cell::json three = now;
            three[k] = v;
            return three;
        };
        QObject::connect(field, &NumberField::tried, context_, [s, with](double v) { s.try_out(with(v)); });
        QObject::connect(field, &NumberField::gave_up, context_, [s] { s.open.drop_draft(); });
        QObject::connect(field, &NumberField::changed, context_, [s, with](double v) { s.set(with(v)); });
        line->addWidget(field, 1);
    }
    put(row, said(f.label), f, unit == "deg" ? QStringLiteral("\u00b0") : unit);
}

void FieldEditors::colour(const cell::Field& f) {
    const QString now = QString::fromStdString(text_now(f));
    auto* button = new QPushButton(now.isEmpty() ? QObject::tr("as usual") : menu_text(now));
    const QColor shown = group_.owner
                             ? theme::look_colour(group_.owner->look, text_now(f))
                             : theme::look_colour(cell::Look::structure, now.isEmpty() ? "#C3CBD2" : text_now(f));
    button->setStyleSheet(QString("text-align: left; padding: 0 4px; border-left: 10px solid %1;").arg(shown.name()));
    QObject::connect(button, &QPushButton::clicked, context_, [s = setter(f), shown, button] {
        const QColor chosen = QColorDialog::getColor(shown, button->window(), QObject::tr("Colour"));
        if (chosen.isValid()) s.set(chosen.name().toStdString());
    });
    put(button, said(f.label), f);
}

/// Shown where the element has no name: then its id is what people call it.
void FieldEditors::id(const cell::Field& f) {
    if (!rename_) return;
    auto* line = new QLineEdit(QString::fromStdString(text_now(f)));
    QObject::connect(
        line, &QLineEdit::editingFinished, context_, [line, rename = rename_, at = group_.at, context = context_] {
            if (!line->isModified() || line->text().trimmed().isEmpty()) return;
            line->setModified(false);
            QTimer::singleShot(0, context, [rename, at, to = line->text().trimmed().toStdString()] { rename(at, to); });
        });
    put(line, QObject::tr("name"), f);
}

void FieldEditors::heading(
    const QString& words, const QString& link, const QString& name, const std::function<void()>& act) {
    auto* row = new QWidget;
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 3, 0, 0);
    line->setSpacing(4);
    auto* label = plain_label(words);
    label->setFont(theme::font(11, true));
    line->addWidget(label, 1);
    if (act) {
        auto* button = new QPushButton(link);
        button->setProperty("link", true);
        button->setObjectName(name);
        QObject::connect(button, &QPushButton::clicked, context_, act);
        line->addWidget(button);
    }
    grid_.layout->addWidget(row, grid_.row++, 0, 1, 3);
}

void FieldEditors::nested(
    const cell::Field& f, const std::string& at, const cell::json& values, const cell::Fields& fields) {
    const QString names =
        group_.names + QString::fromStdString(at.substr(group_.at.size() + 1)).replace('/', '_') + "_";
    const EditedGroup inner{
        at, values.is_object() ? values : cell::json::object(), names, group_.title, group_.owner, group_.step};
    FieldEditors editors(open_, results_, grid_, context_, inner);
    const bool named = cell::find_field(fields, "name");
    if (rename_ && !named && f.type == Type::list) editors.on_rename(rename_);
    editors.add(fields);
}

void FieldEditors::group(const cell::Field& f) {
    const QString name = group_.names + QString::fromStdString(f.key);
    const bool there = group_.values.contains(f.key);
    if (f.most == 1 && !there)  // it may be there or not
        return heading({}, QObject::tr("+ %1").arg(said(f.label)), name + "_add",
            [s = setter(f), fresh = cell::fresh_of(f.inner())] { s.set(fresh); });
    if (f.most == 1) heading(said(f.label), QObject::tr("remove"), name + "_remove", [s = setter(f)] { s.remove(); });
    else heading(said(f.label));
    nested(f, path(f), group_.values.value(f.key, cell::json::object()), f.inner());
}

/// Which block, and what that is called.
void FieldEditors::block(const cell::Field& f) {
    choice(f, named(f), text_now(f));
    for (const cell::StepBlock& b : open_.cell()->blocks) {
        if (b.id != text_now(f)) continue;
        auto* line = new QLineEdit(QString::fromStdString(b.name));
        line->setObjectName(group_.names + QString::fromStdString(f.key) + "_name");
        QObject::connect(
            line, &QLineEdit::editingFinished, context_, [line, s = setter(cell::Path("blocks") / b.id / "name")] {
                if (!line->isModified() || line->text().trimmed().isEmpty()) return;
                line->setModified(false);
                s.set(line->text().trimmed().toStdString());
            });
        grid_.add(QObject::tr("its name"), line);
    }
}

void FieldEditors::posture(const cell::Field& f) {
    const cell::Device& d = *group_.owner;
    Choices postures{{QObject::tr("chosen by the planner"), -1}};
    if (const auto e = results_.shown(); e && d.arm && group_.step && group_.step->posture < 0)
        if (const std::optional<int> taken = posture_taken(*e, d, *group_.step))
            postures.front().first = QObject::tr("planner: %1").arg(posture_name(*taken));
    if (d.arm)
        for (const int k : cell::postures_of(*d.arm)) postures.emplace_back(posture_name(k), k);
    choice(f, postures, group_.values.value(f.key, -1));
}

/// The arm's first free joint, held at a value or left to the planner.
void FieldEditors::held(const cell::Field& f) {
    const cell::Device& d = *group_.owner;
    if (!d.arm || d.arm->solver->free_joints().empty()) return;
    const kinematics::Joint& free = d.arm->model->mechanism.joints[d.arm->solver->free_joints().front()];
    if ((free.type == kinematics::JointType::hinge) != (f.key == "held_deg")) return;
    const double unit = joint_unit(free);
    const QString name = QString::fromStdString(free.name);
    auto* hold = new QCheckBox;
    hold->setObjectName("step_hold");
    hold->setChecked(group_.values.contains(f.key));
    hold->setToolTip(plain(QObject::tr("Else the planner chooses where %1 stands").arg(name)));
    QObject::connect(hold, &QCheckBox::clicked, context_,
        [s = setter(f), middle = std::round(0.5 * (free.low + free.high) / unit)](bool on) {
            if (on) s.set(middle);
            else s.remove();
        });
    grid_.add(QObject::tr("hold %1").arg(name), hold);
    if (!group_.values.contains(f.key)) return;
    cell::Field at = f;
    at.type = Type::number;
    at.label = QObject::tr("%1 at").arg(name).toStdString();
    at.low = free.low / unit, at.high = free.high / unit;
    number(at);
}

FieldEditors::Choices FieldEditors::seats(bool give) const {
    Choices all;
    for (const cell::Device& o : open_.cell()->devices) {
        if (o.seats.empty()) continue;
        const simulation::Kind& kind = simulation::kind_of(o);
        if (!(give ? kind.pick_seats(o) : kind.place_seats(o)).empty())
            all.emplace_back(QString::fromStdString(o.name), o.id);
    }
    return all;
}

/// Of where parts go on to only what takes them from a belt.
FieldEditors::Choices FieldEditors::devices(const cell::Field& f) const {
    Choices all{{f.said.empty() ? QObject::tr("nothing") : said(f.said.front()), ""}};
    for (const cell::Device& o : open_.cell()->devices)
        if (o.id != owner_id() && (f.key != "to" || o.kind->follows_belts()))
            all.emplace_back(QString::fromStdString(o.name), o.id);
    return all;
}

FieldEditors::Choices FieldEditors::part_types() const {
    Choices all;
    if (group_.owner->needs_part_type.empty()) all.emplace_back(QObject::tr("any"), "");
    for (const cell::PartType& t : open_.cell()->part_types) all.emplace_back(QString::fromStdString(t.name), t.id);
    return all;
}

FieldEditors::Choices FieldEditors::signals_of(bool own, bool number) const {
    Choices all;
    for (const cell::Device& o : open_.cell()->devices)
        for (const cell::Signal& s : o.signals)
            if (s.on_off() != number && !s.input() && (!own || o.id == owner_id()))
                all.emplace_back(QString::fromStdString(o.name + " " + s.name), o.id + "." + s.name);
    return all;
}

FieldEditors::Choices FieldEditors::grips() const {
    Choices all{{QObject::tr("the first"), ""}};
    for (const cell::PartType& t : open_.cell()->part_types)
        for (const cell::Grip& g : t.grips)
            if (std::none_of(all.begin(), all.end(), [&](const auto& known) { return known.second == g.id; }))
                all.emplace_back(QString::fromStdString(g.id), g.id);
    return all;
}

/// What is not there yet is made, and named here.
void FieldEditors::make_on_the_spot(
    const Setter& s, const cell::Field& f, const std::string& owner, const std::string& at, QWidget* box) {
    if (f.type == Type::part_type)
        return s.apply([=](const cell::Layout& l) { return cell::add_part_type_for(l, "box", owner, f.key, nullptr); });
    const bool number = f.type == Type::own_number;
    const QString title = number ? QObject::tr("New number") : QObject::tr("New signal");
    const QString name =
        QInputDialog::getText(box->window(), title, QObject::tr("Name (letters, digits, - and _):")).trimmed();
    if (name.isEmpty()) return;
    s.apply([=, to = name.toStdString()](const cell::Layout& l) {
        return number ? cell::add_number(l, owner, to, at) : cell::add_signal(l, owner, to, at);
    });
}

/// What a key can name. Long because there is a line or two for each type of field, and nothing else.
FieldEditors::Choices FieldEditors::named(const cell::Field& f) const {
    Choices all;
    switch (f.type) {
        case Type::choice:
            for (std::size_t i = 0; i < f.words.size(); ++i)
                all.emplace_back(said(i < f.said.size() ? f.said[i] : f.words[i]), f.words[i]);
            break;
        case Type::device: return devices(f);
        case Type::arm:
        case Type::mover:
            all.emplace_back(QObject::tr("none"), "");
            for (const cell::Device& o : open_.cell()->devices)
                if (o.arm || (f.type == Type::mover && cell::can_wait(o)))
                    all.emplace_back(QString::fromStdString(o.name), o.id);
            break;
        case Type::sight:
            all.emplace_back(QObject::tr("nothing"), "");
            for (const cell::Device& o : open_.cell()->devices)
                if (o.kind->tells_places(o)) all.emplace_back(QString::fromStdString(o.name), o.id);
            break;
        case Type::part_type: return part_types();
        case Type::giver: return seats(true);
        case Type::taker: return seats(false);
        case Type::signal: return signals_of(false);
        case Type::own_signal: return signals_of(true);
        case Type::own_number: return signals_of(true, true);
        case Type::side_task:
            if (f.usual.is_string()) all.emplace_back(QObject::tr("none"), "");
            if (group_.owner)
                for (const cell::Task& side : group_.owner->side_tasks)
                    all.emplace_back(QString::fromStdString(side.name), side.id);
            break;
        case Type::grip: return grips();
        case Type::body:
            all.emplace_back(QObject::tr("all of it"), "");
            for (const std::string& name : cell::body_names(*open_.cell(), open_.cell()->device(group_.owner->id)))
                all.emplace_back(QString::fromStdString(name), name);
            break;
        case Type::pose:
            for (const cell::Pose& p : group_.owner->poses) all.emplace_back(QString::fromStdString(p.name), p.id);
            break;
        case Type::arm_model:
            for (const auto& m : open_.cell()->arm_models) all.emplace_back(QString::fromStdString(m.name), m.id);
            break;
        case Type::tool_model:
            if (f.usual.is_string()) all.emplace_back(QObject::tr("none"), "");
            for (const auto& t : open_.cell()->tool_models) all.emplace_back(QString::fromStdString(t.name), t.id);
            break;
        case Type::mesh:
            for (const auto& m : open_.cell()->meshes) all.emplace_back(QString::fromStdString(m.name), m.id);
            break;
        case Type::tool:
            if (group_.owner->arm)
                for (const cell::MountedTool& t : group_.owner->arm->tools)
                    all.emplace_back(QString::fromStdString(t.model->name + t.id.substr(t.model->id.size())), t.id);
            break;
        case Type::block:
            for (const cell::StepBlock& b : open_.cell()->blocks)
                all.emplace_back(QString::fromStdString(b.name), b.id);
            break;
        default: break;
    }
    return all;
}

}  // namespace escarp::desktop
