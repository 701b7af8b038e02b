#include "field_editors.h"

#include <QCheckBox>
#include <QComboBox>
#include <QLineEdit>
#include <QTimer>
#include <algorithm>
#include <cmath>

#include <simulation/kinds.h>

#include "arm_words.h"
#include "number_field.h"
#include "plain_text.h"
#include "typed_number.h"

namespace escarp::desktop {
namespace {

using Type = cell::Field::Type;

QString said(const std::string& words) { return QCoreApplication::translate("FieldEditors", words.c_str()); }

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
        s.workspace.apply({s.title, {cell::Operation::set(s.at, value)}});
    });
}

void FieldEditors::Setter::remove() const {
    QTimer::singleShot(0, context, [s = *this] {
        if (cell::find(s.workspace.resolved(), s.at)) s.workspace.apply({s.title, {cell::Operation::remove(s.at)}});
    });
}

void FieldEditors::Setter::try_out(const cell::json& value) const {
    workspace.try_quietly({title, {cell::Operation::set(at, value)}});
}

FieldEditors::FieldEditors(Workspace& workspace, FieldGrid& grid, QObject* context, const EditedGroup& group, Mark mark)
    : workspace_(workspace), grid_(grid), context_(context), group_(group), mark_(std::move(mark)) {}

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
        case Type::points:
        case Type::numbers: return list(f);
        case Type::block: return block(f);
        case Type::posture: return posture(f);
        case Type::held: return held(f);
        case Type::bodies:
        case Type::list: return;  // have places of their own
        default: return choice(f, named(f), group_.values.value(f.key, f.usual));
    }
}

std::string FieldEditors::text_now(const cell::Field& f) const {
    const auto found = group_.values.find(f.key);
    return found != group_.values.end() && found->is_string() ? found->get<std::string>() : std::string();
}

void FieldEditors::put(QWidget* editor, const QString& label, const cell::Field& f, const QString& unit) {
    editor->setObjectName(group_.names + QString::fromStdString(f.key));
    if (!f.help.empty() && editor->toolTip().isEmpty()) editor->setToolTip(plain(said(f.help)));
    QLabel* name = grid_.add(label, editor, unit);
    if (mark_) mark_(editor, name, path(f));
}

void FieldEditors::number(const cell::Field& f) {
    const QString unit = QString::fromStdString(cell::unit_sign(f.key));
    auto* field = new NumberField(unit, f.low, f.high);
    const auto found = group_.values.find(f.key);
    const double usual = f.usual.is_number() ? f.usual.get<double>() : std::max(0.0, f.low);
    field->set_value(found != group_.values.end() && found->is_number() ? found->get<double>() : usual);
    const auto value = [whole = f.type == Type::whole](
                           double v) { return whole ? cell::json(static_cast<long long>(v)) : cell::json(v); };
    const Setter s = setter(path(f));
    QObject::connect(field, &NumberField::tried, context_, [s, value](double v) { s.try_out(value(v)); });
    QObject::connect(field, &NumberField::gave_up, context_, [s] { s.workspace.drop_draft(); });
    QObject::connect(field, &NumberField::changed, context_, [s, value](double v) { s.set(value(v)); });
    put(field, said(f.label), f, unit);
}

void FieldEditors::choice(const cell::Field& f, const Choices& choices, const cell::json& now) {
    auto* box = new QComboBox;
    box->setCurrentIndex(-1);
    for (const auto& [words, value] : choices) box->addItem(words);
    const auto at = std::find_if(choices.begin(), choices.end(), [&](const auto& c) { return c.second == now; });
    box->setCurrentIndex(at == choices.end() ? -1 : static_cast<int>(at - choices.begin()));
    QObject::connect(box, &QComboBox::activated, context_, [choices, s = setter(path(f))](int index) {
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
    QObject::connect(box, &QCheckBox::clicked, context_, [s = setter(path(f))](bool checked) { s.set(checked); });
    put(box, said(f.label), f);
}

void FieldEditors::text(const cell::Field& f) {
    auto* line = new QLineEdit(QString::fromStdString(text_now(f)));
    QObject::connect(line, &QLineEdit::editingFinished, context_, [line, s = setter(path(f))] {
        if (!line->isModified()) return;
        line->setModified(false);
        s.set(line->text().trimmed().toStdString());
    });
    put(line, said(f.label), f);
}

void FieldEditors::list(const cell::Field& f) {
    const bool points = f.type == Type::points;
    auto* line = new QLineEdit(group_.values.contains(f.key) ? shown_list(group_.values[f.key]) : QString());
    line->setToolTip(points ? QObject::tr("x y of each corner, in mm: 0 0, 2000 0, 2000 1500")
                            : QObject::tr("Numbers in mm: 500, 3000"));
    QObject::connect(line, &QLineEdit::editingFinished, context_, [line, points, s = setter(path(f))] {
        if (!line->isModified()) return;
        line->setModified(false);
        const cell::json typed = points ? typed_points(line->text()) : typed_numbers(line->text());
        if (typed.is_null()) return Q_EMIT s.workspace.refused(QObject::tr("Not understood"), line->toolTip());
        s.set(typed);
    });
    put(line, said(f.label), f, "mm");
}

/// Which block, and what that is called.
void FieldEditors::block(const cell::Field& f) {
    choice(f, named(f), text_now(f));
    for (const cell::StepBlock& b : workspace_.cell()->blocks) {
        if (b.id != text_now(f)) continue;
        auto* line = new QLineEdit(QString::fromStdString(b.name));
        line->setObjectName(group_.names + QString::fromStdString(f.key) + "_name");
        QObject::connect(line, &QLineEdit::editingFinished, context_, [line, s = setter("/blocks/" + b.id + "/name")] {
            if (!line->isModified() || line->text().trimmed().isEmpty()) return;
            line->setModified(false);
            s.set(line->text().trimmed().toStdString());
        });
        grid_.add(QObject::tr("its name"), line);
    }
}

void FieldEditors::posture(const cell::Field& f) {
    const cell::Device& d = group_.owner;
    Choices postures{{QObject::tr("chosen by the planner"), -1}};
    if (const auto e = workspace_.evaluation(); e && d.arm && group_.step && group_.step->posture < 0)
        if (const std::optional<int> taken = posture_taken(*e, d, *group_.step))
            postures.front().first = QObject::tr("planner: %1").arg(posture_name(*taken));
    if (d.arm)
        for (const int k : cell::postures_of(*d.arm)) postures.emplace_back(posture_name(k), k);
    choice(f, postures, group_.values.value(f.key, -1));
}

/// The arm's first free joint, held at a value or left to the planner.
void FieldEditors::held(const cell::Field& f) {
    const cell::Device& d = group_.owner;
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
        [s = setter(path(f)), middle = std::round(0.5 * (free.low + free.high) / unit)](bool on) {
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
    for (const cell::Device& o : workspace_.cell()->devices) {
        if (o.seats.empty()) continue;
        const simulation::Kind& kind = simulation::kind_of(o);
        if (!(give ? kind.pick_seats(o) : kind.place_seats(o)).empty())
            all.emplace_back(QString::fromStdString(o.name), o.id);
    }
    return all;
}

FieldEditors::Choices FieldEditors::devices() const {
    Choices all{{QObject::tr("nothing"), ""}};
    for (const cell::Device& o : workspace_.cell()->devices)
        if (o.id != group_.owner.id && (o.look == cell::Look::belt || o.look == cell::Look::sink))
            all.emplace_back(QString::fromStdString(o.name), o.id);
    return all;
}

FieldEditors::Choices FieldEditors::part_types() const {
    Choices all;
    if (group_.owner.needs_part_type.empty()) all.emplace_back(QObject::tr("any"), "");
    for (const cell::PartType& t : workspace_.cell()->part_types)
        all.emplace_back(QString::fromStdString(t.name), t.id);
    return all;
}

FieldEditors::Choices FieldEditors::signals_of(bool own) const {
    Choices all;
    for (const cell::Device& o : workspace_.cell()->devices)
        for (const std::string& name : o.signals)
            if (!own || o.id == group_.owner.id)
                all.emplace_back(QString::fromStdString(o.name + " " + name), o.id + "." + name);
    return all;
}

FieldEditors::Choices FieldEditors::grips() const {
    Choices all{{QObject::tr("the first"), ""}};
    for (const cell::PartType& t : workspace_.cell()->part_types)
        for (const cell::Grip& g : t.grips)
            if (std::none_of(all.begin(), all.end(), [&](const auto& known) { return known.second == g.id; }))
                all.emplace_back(QString::fromStdString(g.id), g.id);
    return all;
}

/// What a key can name.
FieldEditors::Choices FieldEditors::named(const cell::Field& f) const {
    Choices all;
    switch (f.type) {
        case Type::choice:
            for (std::size_t i = 0; i < f.words.size(); ++i)
                all.emplace_back(said(i < f.said.size() ? f.said[i] : f.words[i]), f.words[i]);
            break;
        case Type::device: return devices();
        case Type::part_type: return part_types();
        case Type::giver: return seats(true);
        case Type::taker: return seats(false);
        case Type::signal: return signals_of(false);
        case Type::own_signal: return signals_of(true);
        case Type::grip: return grips();
        case Type::pose:
            for (const cell::Pose& p : group_.owner.poses) all.emplace_back(QString::fromStdString(p.name), p.id);
            break;
        case Type::tool:
            if (group_.owner.arm)
                for (const cell::MountedTool& t : group_.owner.arm->tools)
                    all.emplace_back(QString::fromStdString(t.model->name), t.model->id);
            break;
        case Type::block:
            for (const cell::StepBlock& b : workspace_.cell()->blocks)
                all.emplace_back(QString::fromStdString(b.name), b.id);
            break;
        default: break;
    }
    return all;
}

}  // namespace escarp::desktop
