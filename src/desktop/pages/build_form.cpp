#include "build_form.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QResizeEvent>
#include <QTimer>

#include <desktop/fields/number_field.h>
#include <desktop/looks/arm_words.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <geometry/indices.h>

namespace escarp::desktop {
namespace {

using cell::json;
constexpr int label_width = 76;

json fresh_body(const QString& shape) {
    if (shape == "box") return {{"shape", "box"}, {"size_mm", {100, 100, 100}}, {"at_mm", {0, 0, 0}}};
    if (shape == "cylinder")
        return {{"shape", "cylinder"}, {"diameter_mm", 100}, {"height_mm", 100}, {"at_mm", {0, 0, 0}}};
    if (shape == "capsule")
        return {{"shape", "capsule"}, {"from_mm", {0, 0, 0}}, {"to_mm", {200, 0, 0}}, {"diameter_mm", 80}};
    return {{"shape", "sphere"}, {"diameter_mm", 100}, {"at_mm", {0, 0, 0}}};
}

const std::vector<std::pair<QString, QString>>& axis_words() {
    static const std::vector<std::pair<QString, QString>> words{{"1 0 0", "x"}, {"0 1 0", "y"}, {"0 0 1", "z"},
        {"-1 0 0", QStringLiteral("\u2212x")}, {"0 -1 0", QStringLiteral("\u2212y")},
        {"0 0 -1", QStringLiteral("\u2212z")}, {"", QObject::tr("other")}};
    return words;
}

double number_at(const json& model, const std::string& path, double usual) {
    const json::json_pointer at(path);
    return model.contains(at) && model[at].is_number() ? model[at].get<double>() : usual;
}

}  // namespace

BuildForm::BuildForm(const Building& building, QWidget* parent) : QScrollArea(parent), building_(building) {
    setObjectName("build_form");
    setAccessibleName(tr("The link and its joint"));
    setWidgetResizable(true);
    setFrameShape(QFrame::NoFrame);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    page_ = new QWidget;
    rows_ = new QVBoxLayout(page_);
    rows_->setContentsMargins(10, 6, 10, 8);
    rows_->setSpacing(3);
    setWidget(page_);
}

void BuildForm::resizeEvent(QResizeEvent* event) {
    QScrollArea::resizeEvent(event);
    page_->setMaximumWidth(viewport()->width());
}

void BuildForm::title(const QString& text, const QString& hint) {
    auto* label = plain_label(text);
    label->setFont(theme::font(10, true));
    label->setStyleSheet(QString("color: %1; padding-top: 6px;").arg(theme::muted.name()));
    label->setToolTip(hint);
    rows_->addWidget(label);
}

QHBoxLayout* BuildForm::row(const QString& label) {
    auto* line = new QHBoxLayout;
    line->setSpacing(3);
    auto* name = plain_label(label);
    name->setFixedWidth(label_width);
    name->setFont(theme::font(11));
    line->addWidget(name);
    rows_->addLayout(line);
    return line;
}

void BuildForm::change(const QString& name, Change change) {
    // The field that asked for it is built anew by the change: it goes first.
    QTimer::singleShot(0, this, [this, name, change = std::move(change)] { Q_EMIT changed(name, change); });
}

void BuildForm::numbers(const QString& label, const std::string& path, const QString& unit, double low, double high,
    const std::vector<double>& usual, const QStringList& letters) {
    QHBoxLayout* line = row(label);
    for (const int i : indices(usual)) {
        const std::string one = usual.size() > 1 ? path + "/" + std::to_string(i) : path;
        auto* field = new NumberField(unit, low, high);
        field->setObjectName(QString::fromStdString(one));
        field->setAccessibleName(label + (letters.isEmpty() ? QString() : " " + letters[i]));
        field->set_value(number_at(building_.model, one, usual[i]));
        field->setMinimumWidth(34);
        connect(field, &NumberField::changed, this, [this, label, path, i, usual](double v) {
            change(tr("Change %1").arg(label), [path, i, usual, v](json& m) {
                json& at = m[json::json_pointer(path)];
                if (usual.size() > 1 && (!at.is_array() || at.size() != usual.size())) at = usual;
                (usual.size() > 1 ? at[i] : at) = v;
            });
        });
        if (!letters.isEmpty()) {
            auto* letter = plain_label(letters[i]);
            letter->setFont(theme::font(10));
            letter->setStyleSheet(QString("color: %1;").arg(theme::muted.name()));
            line->addWidget(letter);
        }
        line->addWidget(field, 1);
    }
    auto* sign = plain_label(unit);
    sign->setFont(theme::font(10));
    sign->setMinimumWidth(26);
    line->addWidget(sign);
}

void BuildForm::text(const QString& label, const std::string& path, const QString& what) {
    auto* field = new QLineEdit(QString::fromStdString(building_.model.value(json::json_pointer(path), std::string())));
    field->setObjectName(QString::fromStdString(path));
    field->setAccessibleName(label);
    connect(field, &QLineEdit::editingFinished, this, [this, field, path, what] {
        if (!field->isModified()) return;
        field->setModified(false);
        change(what, [path, now = field->text().trimmed().toStdString()](json& m) {
            const json before = m.value(json::json_pointer(path), std::string());
            m[json::json_pointer(path)] = now;
            // What follows a joint goes by its name.
            if (path.rfind("/joints/", 0) == 0)
                for (json& j : m["joints"])
                    if (j.contains("follows"))
                        for (json& l : j["follows"])
                            if (l.value("joint", "") == before) l["joint"] = now;
        });
    });
    row(label)->addWidget(field, 1);
}

QComboBox* BuildForm::choice(const QString& label, const QString& name,
    const std::vector<std::pair<QString, QString>>& words, const QString& now,
    std::function<void(const QString&)> act) {
    auto* box = new QComboBox;
    box->setObjectName(name);
    box->setAccessibleName(label);
    for (const auto& [id, word] : words) box->addItem(word, id);
    box->setCurrentIndex(box->findData(now));
    box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    connect(box, &QComboBox::activated, this, [box, act = std::move(act)] { act(box->currentData().toString()); });
    row(label)->addWidget(box, 1);
    return box;
}

QPushButton* BuildForm::button(QHBoxLayout* into, const QString& text, const QString& name, std::function<void()> act) {
    auto* b = link_button(text, name);
    connect(b, &QPushButton::clicked, this, [this, act = std::move(act)] { QTimer::singleShot(0, this, act); });
    into->addWidget(b);
    return b;
}

void BuildForm::rebuild(const std::vector<std::pair<QString, QString>>& meshes) {
    meshes_ = meshes;
    const FormPlace place(
        page_, qobject_cast<QScrollArea*>(page_->parentWidget() ? page_->parentWidget()->parentWidget() : nullptr));
    clear(rows_);
    zero_ = nullptr;
    if (building_.model.is_null() || building_.link >= static_cast<int>(building_.model["links"].size())) return;
    title(building_.link == 0 ? tr("BASE LINK") : tr("LINK"));
    text(tr("Name"), link_path() + "/name", tr("Rename link"));
    if (building_.link > 0) add_joint();
    add_bodies();
    add_flange();
    add_mass();
    rows_->addStretch(1);
}

void BuildForm::add_joint() {
    const int joint = building_.draft.links[building_.link].joint;
    title(tr("JOINT THAT CARRIES IT"));
    if (joint < 0) {
        auto* none = plain_label(tr("\u2715 None: the link has no path to the base."));
        none->setStyleSheet(QString("color: %1;").arg(theme::stop.name()));
        rows_->addWidget(none);
        auto* line = new QHBoxLayout;
        button(line, tr("hang it on the base"), "hang", [this] {
            change(tr("Connect link"), [link = building_.link](json& m) {
                m["joints"].push_back(
                    {{"name", "F" + std::to_string(link)}, {"type", "fixed"}, {"parent", 0}, {"child", link}});
            });
        });
        line->addStretch(1);
        rows_->addLayout(line);
        return;
    }
    const cell::Path path = cell::Path("joints") / std::to_string(joint);
    const json& j = building_.model["joints"][joint];
    text(tr("Name"), path / "name", tr("Rename joint"));
    const QString type = QString::fromStdString(j.value("type", "hinge"));
    choice(tr("Type"), "joint_type",
        {{"hinge", tr("hinge (turns)")}, {"slide", tr("slide (shifts)")}, {"fixed", tr("fixed")}}, type,
        [this, joint, type](const QString& to) {
            if (to == type) return;
            change(tr("Change joint type"), [joint, to](json& m) {
                json& one = m["joints"][joint];
                const bool hinge = to == "hinge";
                for (const char* key : {"min", "max", "speed", "acceleration", "jerk", "offset"})
                    for (const char* unit :
                        {"_deg", "_mm", "_deg_s", "_mm_s", "_deg_s2", "_mm_s2", "_deg_s3", "_mm_s3"})
                        one.erase(std::string(key) + unit);
                one["type"] = to.toStdString();
                m.erase("ready"), m.erase("ready_deg");
                if (to == "fixed") return one.erase("axis"), one.erase("follows"), void();
                const std::string unit = hinge ? "deg" : "mm";
                if (!one.contains("axis")) one["axis"] = {0, hinge ? 1 : 0, hinge ? 0 : 1};
                one["min_" + unit] = hinge ? -90 : 0, one["max_" + unit] = hinge ? 90 : 300;
                one["speed_" + unit + "_s"] = hinge ? 90 : 500,
                                      one["acceleration_" + unit + "_s2"] = hinge ? 360 : 1500;
            });
        });
    std::vector<std::pair<QString, QString>> carriers;
    for (const int l : indices(building_.draft.links))
        if (l != building_.link)
            carriers.emplace_back(QString::number(l), QString::fromStdString(building_.draft.links[l].name));
    choice(tr("Carried by"), "joint_parent", carriers, QString::number(j.value("parent", 0)),
        [this, joint](const QString& to) {
            change(tr("Change what carries it"), [joint, to](json& m) { m["joints"][joint]["parent"] = to.toInt(); });
        });
    numbers(tr("Stands at"), path / "at_mm", "mm", -1e5, 1e5, {0, 0, 0}, {"x", "y", "z"});
    numbers(tr("turned"), path / "turn_deg", QStringLiteral("\u00b0"), -360, 360, {0, 0, 0}, {"x", "y", "z"});
    if (type != "fixed") add_drive(joint);
}

void BuildForm::add_drive(int joint) {
    const cell::Path path = cell::Path("joints") / std::to_string(joint);
    const json& j = building_.model["joints"][joint];
    const bool hinge = j.value("type", "hinge") == "hinge";
    const QString unit = hinge ? QStringLiteral("\u00b0") : "mm";
    const std::string key = hinge ? "deg" : "mm";
    QString axis = "0 0 1";
    if (const json now = j.value("axis", json({0, 0, 1})); now.is_array() && now.size() == 3 && now[0].is_number())
        axis = QString("%1 %2 %3").arg(now[0].get<double>()).arg(now[1].get<double>()).arg(now[2].get<double>());
    const bool plain =
        std::any_of(axis_words().begin(), axis_words().end(), [&](const auto& w) { return w.first == axis; });
    choice(hinge ? tr("Turns about") : tr("Shifts along"), "joint_axis", axis_words(), plain ? axis : QString(),
        [this, joint](const QString& to) {
            const QStringList parts = to.split(' ');
            change(tr("Change axis"), [joint, parts](json& m) {
                m["joints"][joint]["axis"] =
                    parts.size() == 3 ? json{parts[0].toInt(), parts[1].toInt(), parts[2].toInt()} : json{1, 1, 0};
            });
        });
    if (!plain) numbers(tr("axis"), path / "axis", "", -1000, 1000, {0, 0, 1}, {"x", "y", "z"});
    add_leader(joint, key);
    const bool follows = j.contains("follows");
    if (follows) {
        const std::size_t count = j["follows"].is_array() ? j["follows"].size() : 0;
        for (std::size_t i = 0; i < count; ++i)
            numbers(tr("by %1 \u00d7").arg(QString::fromStdString(j["follows"][i].value("joint", ""))),
                path / "follows" / std::to_string(i) / "ratio", "", -1000, 1000, {1});
        numbers(tr("plus"), path / ("offset_" + key), unit, -1e5, 1e5, {0});
    }
    const double most = hinge ? 3600 : 1e5;
    numbers(tr("From"), path / ("min_" + key), unit, -most, most, {0});
    numbers(tr("to"), path / ("max_" + key), unit, -most, most, {0});
    if (!follows) {
        numbers(tr("Speed"), path / ("speed_" + key + "_s"), unit + "/s", 0.001, 1e6, {0});
        numbers(tr("Acceleration"), path / ("acceleration_" + key + "_s2"), unit + QStringLiteral("/s\u00b2"), 0.001,
            1e6, {0});
        if (j.contains("jerk_" + key + "_s3"))
            numbers(tr("Jerk"), path / ("jerk_" + key + "_s3"), unit + QStringLiteral("/s\u00b3"), 0.001, 1e7, {0});
    }
    auto* line = new QHBoxLayout;
    zero_ = button(line, "", "zero_here", [this, joint] { Q_EMIT wants_zero(joint); });
    zero_->setToolTip(
        tr("All stays where it is; this becomes joint value 0, and limits and taught joint values move along."));
    show_values();
    if (!follows && !j.contains("jerk_" + key + "_s3"))
        button(line, tr("limit jerk"), "limit_jerk", [this, path, key] {
            change(tr("Limit jerk"), [path, key](json& m) {
                m[json::json_pointer((path / ("jerk_" + key + "_s3")).text())] =
                    15 * m.value(json::json_pointer((path / ("acceleration_" + key + "_s2")).text()), 360.0);
            });
        });
    line->addStretch(1);
    rows_->addLayout(line);
}

/// By what the joint is moved: a drive of its own, or another joint.
void BuildForm::add_leader(int joint, const std::string& key) {
    const json& j = building_.model["joints"][joint];
    std::vector<std::pair<QString, QString>> leaders{{"", tr("a drive of its own")}};
    for (const cell::FileJoint& other : building_.draft.joints)
        if (!other.fixed && !other.follows && other.joint.name != j.value("name", ""))
            leaders.emplace_back(QString::fromStdString(other.joint.name),
                tr("follows %1").arg(QString::fromStdString(other.joint.name)));
    const json followed =
        j.contains("follows") && j["follows"].is_array() && !j["follows"].empty() ? j["follows"][0] : json::object();
    choice(tr("Moved by"), "joint_follows", leaders, QString::fromStdString(followed.value("joint", "")),
        [this, joint, key](const QString& to) {
            change(tr("Change drive"), [joint, key, to](json& m) {
                json& one = m["joints"][joint];
                m.erase("ready"), m.erase("ready_deg");
                if (to.isEmpty()) {
                    one.erase("follows"), one.erase("offset_" + key);
                    if (!one.contains("speed_" + key + "_s"))
                        one["speed_" + key + "_s"] = key == "deg" ? 90 : 500,
                                             one["acceleration_" + key + "_s2"] = key == "deg" ? 360 : 1500;
                } else {
                    one["follows"] = {
                        {{"joint", to.toStdString()}, {"ratio", one.contains("follows") && !one["follows"].empty()
                                                                    ? one["follows"][0].value("ratio", 1.0)
                                                                    : 1.0}}};
                    for (const char* what : {"speed_", "acceleration_", "jerk_"})
                        for (const char* per : {"_s", "_s2", "_s3"}) one.erase(what + key + per);
                }
            });
        });
}

void BuildForm::show_values() {
    // Between two mechanisms there is none, while what was shown of the last one still stands.
    if (!zero_ || building_.link < 0 || building_.link >= static_cast<int>(building_.draft.links.size())) return;
    const int joint = building_.draft.links[building_.link].joint;
    if (joint < 0) return;
    const kinematics::Joint& j = building_.draft.joints[joint].joint;
    zero_->setText(
        tr("make %1 %2 the zero position").arg(building_.value(joint) / joint_unit(j), 0, 'f', 1).arg(joint_sign(j)));
    zero_->setVisible(std::abs(building_.value(joint)) > 1e-9);
}

void BuildForm::add_bodies() {
    title(tr("BODIES, FULL SIZES"), tr("Box and cylinder stand on their bottom centre."));
    const std::size_t count = link().contains("bodies") && link()["bodies"].is_array() ? link()["bodies"].size() : 0;
    for (std::size_t i = 0; i < count; ++i) add_body(i);
    auto* line = new QHBoxLayout;
    for (const auto& [shape, word] : {std::pair<QString, QString>{"box", tr("+ box")}, {"cylinder", tr("+ cylinder")},
             {"capsule", tr("+ rounded bar")}, {"sphere", tr("+ ball")}})
        button(line, word, "add_" + shape, [this, s = shape] {
            change(tr("Add body"),
                [path = link_path(), s](json& m) { m[json::json_pointer(path)]["bodies"].push_back(fresh_body(s)); });
        });
    line->addStretch(1);
    rows_->addLayout(line);
    if (meshes_.empty()) return;
    std::vector<std::pair<QString, QString>> words{{"", tr("imported geometry \u2026")}};
    words.insert(words.end(), meshes_.begin(), meshes_.end());
    choice(tr("Add"), "add_mesh", words, "", [this](const QString& id) {
        if (!id.isEmpty())
            change(tr("Add body"), [path = link_path(), id](json& m) {
                m[json::json_pointer(path)]["bodies"].push_back(
                    {{"shape", "mesh"}, {"mesh", id.toStdString()}, {"at_mm", {0, 0, 0}}});
            });
    });
}

void BuildForm::add_body(std::size_t index) {
    const json& body = link()["bodies"][index];
    const std::string path = link_path() + "/bodies/" + std::to_string(index);
    const std::string shape = body.value("shape", "");
    auto* line = new QHBoxLayout;
    const QString words = shape == "capsule"  ? tr("rounded bar")
                          : shape == "sphere" ? tr("ball")
                          : shape == "mesh" ? tr("geometry \"%1\"").arg(QString::fromStdString(body.value("mesh", "")))
                          : shape == "hull" ? tr("hull of %1 points").arg(body.value("points_mm", json::array()).size())
                          : shape == "box"  ? tr("box")
                                            : tr("cylinder");
    const QString own = QString::fromStdString(body.value("name", ""));
    auto* name = plain_label(tr("%1. %2").arg(index + 1).arg(own.isEmpty() ? words : tr("%1 (%2)").arg(own, words)));
    name->setFont(theme::font(11, true));
    line->addWidget(name, 1);
    button(line, QStringLiteral("\u00d7"), QString("remove_body_%1").arg(index), [this, index] {
        change(tr("Remove body"),
            [at = link_path() + "/bodies", index](json& m) { m[json::json_pointer(at)].erase(index); });
    });
    rows_->addLayout(line);
    if (shape == "box") numbers(tr("Size"), path + "/size_mm", "mm", 0, 1e5, {0, 0, 0}, {"l", "w", "h"});
    if (shape == "cylinder" || shape == "capsule" || shape == "sphere")
        numbers(tr("Diameter"), path + "/diameter_mm", "mm", 0, 1e5, {0});
    if (shape == "cylinder") numbers(tr("Height"), path + "/height_mm", "mm", 0, 1e5, {0});
    if (shape == "capsule") {
        numbers(tr("From"), path + "/from_mm", "mm", -1e5, 1e5, {0, 0, 0}, {"x", "y", "z"});
        numbers(tr("to"), path + "/to_mm", "mm", -1e5, 1e5, {0, 0, 0}, {"x", "y", "z"});
        return;
    }
    numbers(tr("At"), path + "/at_mm", "mm", -1e5, 1e5, {0, 0, 0}, {"x", "y", "z"});
    if (shape != "sphere")
        numbers(tr("turned"), path + "/turn_deg", QStringLiteral("\u00b0"), -360, 360, {0, 0, 0}, {"x", "y", "z"});
}

void BuildForm::add_flange() {
    title(tr("FLANGE"), tr("Its z axis points out of it."));
    if (building_.draft.flange_link == building_.link) {
        numbers(tr("At"), "/flange/at_mm", "mm", -1e5, 1e5, {0, 0, 0}, {"x", "y", "z"});
        numbers(tr("turned"), "/flange/turn_deg", QStringLiteral("\u00b0"), -360, 360, {0, 0, 0}, {"x", "y", "z"});
        return;
    }
    auto* line = new QHBoxLayout;
    auto* where =
        plain_label(tr("on %1").arg(QString::fromStdString(building_.draft.links[building_.draft.flange_link].name)));
    where->setFont(theme::font(11));
    line->addWidget(where);
    button(line, tr("put it on this link"), "flange_here", [this] {
        change(tr("Move flange"), [link = building_.link](json& m) {
            m["flange"] = {{"link", link}, {"at_mm", {0, 0, 0}}};
        });
    });
    line->addStretch(1);
    rows_->addLayout(line);
}

void BuildForm::add_mass() {
    title(tr("MASS"), tr("Handed on with the mechanism. The motion here does not need it."));
    numbers(tr("Mass"), link_path() + "/mass_kg", "kg", 0, 1e5, {0});
    numbers(tr("Centre"), link_path() + "/centre_mm", "mm", -1e5, 1e5, {0, 0, 0}, {"x", "y", "z"});
}

}  // namespace escarp::desktop
