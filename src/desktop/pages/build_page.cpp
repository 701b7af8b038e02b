#include "build_page.h"

#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QMenu>
#include <QPushButton>
#include <QSplitter>
#include <QTimer>
#include <QToolButton>

#include <cell/model/catalogue.h>
#include <cell/text/disk.h>
#include <cell/text/names.h>
#include <desktop/dialogs/import_geometry.h>
#include <desktop/looks/arm_words.h>
#include <desktop/looks/layouts.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>
#include <exchange/urdf.h>
#include <simulation/kinds.h>

namespace escarp::desktop {
namespace {

using cell::json;

QLabel* heading(const QString& text) {
    auto* label = plain_label(text);
    label->setFont(theme::font(10, true));
    label->setStyleSheet(QString("color: %1; padding-top: 6px;").arg(theme::muted.name()));
    return label;
}

const json* in_catalogue(const std::string& id) {
    for (const json& m : cell::catalogue_arms())
        if (m["id"] == id) return &m;
    return nullptr;
}

}  // namespace

BuildPage::BuildPage(OpenCell& open, Selection& selection, QWidget* parent)
    : QWidget(parent),
      open_(open),
      selection_(selection),
      view_(new BuildView(building_, open.surfaces())),
      form_(new BuildForm(building_)) {
    setObjectName("build_page");
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    auto* across = new QSplitter(Qt::Horizontal);
    across->addWidget(make_left());
    across->addWidget(make_middle());
    across->addWidget(form_);
    across->setHandleWidth(1);
    across->setChildrenCollapsible(false);
    across->setSizes({250, 720, 310});
    across->setStretchFactor(0, 0), across->setStretchFactor(1, 1), across->setStretchFactor(2, 0);
    form_->setMinimumWidth(290);
    row->addWidget(across);
    connect(view_, &BuildView::chosen, this, &BuildPage::choose);
    connect(view_, &BuildView::tried, this, &BuildPage::try_value);
    connect(form_, &BuildForm::changed, this, &BuildPage::change);
    connect(form_, &BuildForm::wants_zero, this, [this](int joint) {
        json model = building_.model;
        std::map<std::string, double> shifts;
        const double value = building_.value(joint);
        cell::make_zero(model, joint, value, shifts);
        building_.values.erase(building_.draft.joints[joint].joint.name);
        keep(tr("Set zero position"), model, shifts);
    });
    connect(&open_, &OpenCell::document_changed, this, [this] {
        if (isVisible()) follow();
    });
}

QWidget* BuildPage::make_left() {
    auto* side = new QWidget;
    side->setMinimumWidth(230);
    auto* rows = new QVBoxLayout(side);
    rows->setContentsMargins(10, 6, 10, 8);
    rows->setSpacing(4);
    rows->addWidget(heading(tr("MECHANISM")));
    models_ = new QComboBox;
    models_->setObjectName("build_models");
    models_->setAccessibleName(tr("Mechanisms of this file"));
    connect(models_, &QComboBox::activated, this, [this] {
        QTimer::singleShot(0, this, [this, id = models_->currentData().toString().toStdString()] { open(id); });
    });
    rows->addWidget(models_);
    rows->addLayout(make_begin_row());
    auto* grid = new QGridLayout;
    grid->setHorizontalSpacing(5);
    name_ = new QLineEdit;
    name_->setObjectName("build_name");
    connect(name_, &QLineEdit::editingFinished, this, [this] {
        if (!name_->isModified() || building_.model.is_null()) return;
        name_->setModified(false);
        change(tr("Rename mechanism"), [now = name_->text().trimmed().toStdString()](json& m) { m["name"] = now; });
    });
    payload_ = new NumberField("kg", 0, 1e5);
    payload_->setObjectName("build_payload");
    connect(payload_, &NumberField::changed, this,
        [this](double v) { change(tr("Change payload"), [v](json& m) { m["payload_kg"] = v; }); });
    grid->addWidget(plain_label(tr("Name")), 0, 0);
    grid->addWidget(name_, 0, 1, 1, 2);
    grid->addWidget(plain_label(tr("Carries")), 1, 0);
    grid->addWidget(payload_, 1, 1);
    grid->addWidget(plain_label("kg"), 1, 2);
    rows->addLayout(grid);
    make_tree(rows);
    make_tries(rows);
    return side;
}

/// A new mechanism; the one that is looked at written or removed.
QHBoxLayout* BuildPage::make_begin_row() {
    auto* begin_row = new QHBoxLayout;
    auto* fresh = new QToolButton;
    fresh->setObjectName("build_new");
    fresh->setText(tr("New \u2026"));
    fresh->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(fresh);
    menu->addAction(tr("Empty: a base, nothing on it"), this, [this] { begin(); })->setObjectName("build_empty");
    menu->addAction(tr("From a robot description (URDF) \u2026"), this, &BuildPage::choose_urdf)
        ->setObjectName("build_read_urdf");
    menu->addSeparator();
    for (const json& m : cell::catalogue_arms())
        menu->addAction(tr("Copy of %1").arg(QString::fromStdString(m["name"])), this,
            [this, like = m["id"].get<std::string>()] { begin(like); });
    fresh->setMenu(menu);
    begin_row->addWidget(fresh);
    auto* drop = link_button(tr("remove"), "build_remove_model");
    connect(drop, &QPushButton::clicked, this, [this] {
        QTimer::singleShot(0, this, [this] {
            try {
                const std::string gone = id();
                if (open_.apply(cell::remove_model(open_.layout(), gone))) open();
            } catch (const cell::InputError& e) {
                Q_EMIT open_.refused(tr("Not removed"), QString::fromStdString(e.problems().front().message));
            }
        });
    });
    auto* hand_on = link_button(tr("write URDF"), "build_write_urdf");
    connect(hand_on, &QPushButton::clicked, this, [this] {
        const QString file = building_.model.is_null()
                                 ? QString()
                                 : QFileDialog::getSaveFileName(this, tr("Write the mechanism"),
                                       QString::fromStdString(id()) + ".urdf", tr("Robot descriptions (*.urdf)"));
        if (!file.isEmpty()) write_urdf(file);
    });
    begin_row->addWidget(hand_on);
    begin_row->addWidget(drop);
    begin_row->addStretch(1);
    return begin_row;
}

void BuildPage::make_tree(QVBoxLayout* rows) {
    rows->addWidget(heading(tr("LINKS AND THEIR JOINTS")));
    tree_ = new QTreeWidget;
    tree_->setObjectName("build_tree");
    tree_->setAccessibleName(tr("Links, each on what carries it"));
    tree_->setColumnCount(2);
    tree_->setHeaderHidden(true);
    tree_->setIndentation(7);
    tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
    tree_->header()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    connect(tree_, &QTreeWidget::itemSelectionChanged, this, [this] {
        if (!filling_ && !tree_->selectedItems().isEmpty())
            choose(tree_->selectedItems().front()->data(0, Qt::UserRole).toInt());
    });
    rows->addWidget(tree_, 1);
    auto* add_row = new QHBoxLayout;
    add_row->setSpacing(2);
    for (const auto& [type, word] :
        {std::pair<const char*, QString>{"hinge", tr("+ hinge")}, {"slide", tr("+ slide")}, {"fixed", tr("+ fixed")}}) {
        auto* b = link_button(word, QString("build_add_%1").arg(type));
        b->setToolTip(tr("A link more on the one that is chosen"));
        connect(b, &QPushButton::clicked, this, [this, t = std::string(type)] {
            if (building_.model.is_null()) return;
            json model = building_.model;
            const int made = cell::add_link(model, building_.link, t);
            if (keep(tr("Add link"), model)) choose(made);
        });
        add_row->addWidget(b);
    }
    auto* less = link_button(tr("remove"), "build_remove_link");
    connect(less, &QPushButton::clicked, this, &BuildPage::remove);
    add_row->addWidget(less);
    add_row->addStretch(1);
    rows->addLayout(add_row);
}

void BuildPage::make_tries(QVBoxLayout* rows) {
    rows->addWidget(heading(tr("TRY THE JOINTS")));
    tries_ = new QVBoxLayout;
    tries_->setSpacing(1);
    rows->addLayout(tries_);
    auto* steps = new QHBoxLayout;
    steps->addWidget(plain_label(tr("Alt+\u2190\u2192 by")));
    step_deg_ = new NumberField(QStringLiteral("\u00b0"), 0.01, 180);
    step_deg_->set_value(5);
    step_mm_ = new NumberField("mm", 0.01, 1000);
    step_mm_->set_value(10);
    step_deg_->setObjectName("build_step_deg"), step_mm_->setObjectName("build_step_mm");
    for (NumberField* f : {step_deg_, step_mm_}) {
        f->setFixedWidth(38);
        steps->addWidget(f);
        steps->addWidget(plain_label(f == step_deg_ ? QStringLiteral("\u00b0") : "mm"));
    }
    steps->addStretch(1);
    rows->addLayout(steps);
    auto* ends = new QHBoxLayout;
    auto* zero = link_button(tr("all to zero"), "build_to_zero");
    connect(zero, &QPushButton::clicked, this, [this] {
        building_.values.clear();
        show_values();
    });
    auto* ready = link_button(tr("ready posture is here"), "build_ready");
    connect(ready, &QPushButton::clicked, this, &BuildPage::keep_ready);
    ends->addWidget(zero), ends->addWidget(ready), ends->addStretch(1);
    rows->addLayout(ends);
}

QWidget* BuildPage::make_middle() {
    auto* middle = new QWidget;
    auto* rows = new QVBoxLayout(middle);
    rows->setContentsMargins(0, 0, 0, 0);
    rows->setSpacing(0);
    rows->addWidget(view_, 1);
    auto* line = new QHBoxLayout;
    line->setContentsMargins(10, 5, 10, 5);
    verdict_ = plain_label();
    verdict_->setObjectName("build_verdict");
    verdict_->setWordWrap(true);
    line->addWidget(verdict_, 1);
    auto* into = new QPushButton(tr("Place in the cell"));
    into->setObjectName("build_place");
    connect(into, &QPushButton::clicked, this, [this] { QTimer::singleShot(0, this, &BuildPage::place); });
    line->addWidget(into);
    rows->addLayout(line);
    list_ = new QListWidget;
    list_->setObjectName("build_mistakes");
    list_->setAccessibleName(tr("What is to be mended"));
    list_->setFrameShape(QFrame::NoFrame);
    list_->setWordWrap(true);
    list_->setStyleSheet("QListWidget { padding-left: 6px; }");
    connect(list_, &QListWidget::itemClicked, this,
        [this](QListWidgetItem* item) { go_to(item->data(Qt::UserRole).toString().toStdString()); });
    rows->addWidget(list_);
    return middle;
}

void BuildPage::open(const std::string& id) {
    chosen_ = id;
    const json tree = open_.resolved();
    if (chosen_.empty()) {
        const std::string selected = selection_.first().device.toStdString();
        const json* device = selected.empty() ? nullptr : cell::find(tree, cell::at_device(selected));
        if (device && device->value("kind", "") == "arm") chosen_ = device->value("model", "");
    }
    for (const char* list : {"unfinished_models", "arm_models"})
        for (const json& m : tree.value(list, json::array()))
            if (chosen_.empty()) chosen_ = m.value("id", "");
    building_.values.clear();
    building_.link = 0;
    building_.model = nullptr;
    follow();
    view_->fit();
}

void BuildPage::begin(const std::string& like) {
    const json* from = like.empty() ? nullptr : in_catalogue(like);
    const std::string name = from ? (*from)["name"].get<std::string>() + " of our own" : "Mechanism";
    std::string free = name;
    const json tree = open_.resolved();
    const auto taken = [&](const std::string& wish) {
        for (const char* list : {"unfinished_models", "arm_models"})
            for (const json& m : tree.value(list, json::array()))
                if (m.value("name", "") == wish) return true;
        return false;
    };
    for (int i = 2; taken(free); ++i) free = name + " " + std::to_string(i);
    const std::string id = cell::free_id(open_.document().tree(), free);
    json model = from ? *from : cell::begun_model(id, free);
    model["id"] = id, model["name"] = free;
    chosen_ = id;
    building_ = {};
    keep(tr("Begin mechanism"), model);
    view_->fit();
}

void BuildPage::choose_urdf() {
    const QString file =
        QFileDialog::getOpenFileName(this, tr("Read an arm"), open_.file(), tr("Robot descriptions (*.urdf *.xml)"));
    if (file.isEmpty() || !read_urdf(file) || elsewhere_.isEmpty()) return;
    // A description may name any file: where its meshes may be read from is for the engineer to say.
    const QString folder = QFileDialog::getExistingDirectory(this,
        tr("%1 lies outside of the description's folder: which folder holds its meshes?").arg(elsewhere_.front()),
        QFileInfo(file).absolutePath());
    if (!folder.isEmpty()) read_urdf(file, folder);
}

bool BuildPage::read_urdf(const QString& file, const QString& meshes) {
    try {
        exchange::UrdfArm arm;
        run_beside(this, tr("Reading %1").arg(QFileInfo(file).fileName()), [&](const exchange::LoadWatch& w) {
            arm = exchange::read_urdf(file.toStdString(), open_.document(), w, meshes.toStdString());
        });
        elsewhere_.clear();
        for (const std::string& one : arm.elsewhere) elsewhere_ << QString::fromStdString(one);
        if (!open_.apply(exchange::urdf_edit(open_.layout(), arm))) return false;
        noted_ = arm.model["id"];
        notes_ = arm.notes;
        open(noted_);
        return true;
    } catch (const cell::InputError& e) {
        QStringList lines;
        for (const cell::Problem& p : e.problems())
            lines << QString::fromStdString(p.where) + ": " + QString::fromStdString(p.message);
        Q_EMIT open_.refused(tr("%1 was not read").arg(QFileInfo(file).fileName()), lines.mid(0, 8).join('\n'));
        return false;
    }
}

bool BuildPage::write_urdf(const QString& file) {
    try {
        cell::check_target(file.toStdString(), {"urdf"}, {open_.file().toStdString()});
        notes_ = exchange::write_urdf(open_.resolved(), id(), file.toStdString());
        noted_ = id();
        show_mistakes();
        return true;
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(tr("%1 was not written").arg(QFileInfo(file).fileName()),
            QString::fromStdString(e.problems().front().where + ": " + e.problems().front().message));
        return false;
    }
}

bool BuildPage::keep(const QString& name, const json& model, const std::map<std::string, double>& shifts) {
    const std::string said = name.toStdString() + " of " + model.value("name", "");
    const cell::Edit edit = cell::keep_model(open_.layout(), model, said, shifts, nullptr);
    return open_.apply(edit);
}

void BuildPage::change(const QString& name, const BuildForm::Change& change) {
    if (building_.model.is_null()) return;
    json model = building_.model;
    change(model);
    if (model != building_.model) keep(name, model);
}

void BuildPage::follow() {
    const json tree = open_.resolved();
    const json* now = cell::find_model(tree, chosen_);
    const bool editable = now && now->value("links", json()).is_array() && !now->value("links", json::array()).empty();
    const bool same = editable && building_.model == *now;
    building_.model = editable ? *now : json();
    if (editable && !building_.model.contains("joints")) building_.model["joints"] = json::array();
    building_.draft = editable ? cell::read_draft(building_.model, open_.cell()->meshes) : cell::ModelDraft();
    building_.link = std::clamp(building_.link, 0, std::max(0, static_cast<int>(building_.draft.links.size()) - 1));
    mistakes_.clear();
    if (editable && tree.contains("unfinished_models") && cell::find(tree, cell::Path("unfinished_models") / chosen_))
        cell::keep_model(open_.layout(), building_.model, "", {}, &mistakes_);
    show_models();
    show_mistakes();
    if (same && !try_rows_.empty()) return;  // something else of the cell
    show_form();                             // before the values: they are shown in it too
    show_tree();
    show_tries();
}

void BuildPage::show_form() {
    std::vector<std::pair<QString, QString>> meshes;
    for (const cell::MeshAsset& m : open_.cell()->meshes)
        meshes.emplace_back(QString::fromStdString(m.id), QString::fromStdString(m.name));
    form_->rebuild(meshes);
}

void BuildPage::show_models() {
    models_->clear();
    const json tree = open_.resolved();
    std::vector<std::string> seen;
    for (const char* list : {"unfinished_models", "arm_models"})
        for (const json& m : tree.value(list, json::array())) {
            const std::string id = m.value("id", "");
            if (std::find(seen.begin(), seen.end(), id) != seen.end()) continue;
            seen.push_back(id);
            const QString name = QString::fromStdString(m.value("name", id));
            models_->addItem(std::string(list) == "arm_models" ? name : tr("\u2715 %1 (to mend)").arg(name),
                QString::fromStdString(id));
        }
    models_->setCurrentIndex(models_->findData(QString::fromStdString(chosen_)));
    models_->setEnabled(models_->count() > 0);
    const bool any = !building_.model.is_null();
    name_->setEnabled(any), payload_->setEnabled(any), tree_->setEnabled(any);
    if (!name_->hasFocus() || !name_->isModified())
        name_->setText(any ? QString::fromStdString(building_.model.value("name", id())) : QString());
    payload_->set_value(any ? building_.model.value("payload_kg", 0.0) : 0.0);
}

void BuildPage::show_tree() {
    filling_ = true;
    tree_->clear();
    std::vector<QTreeWidgetItem*> items(building_.draft.links.size(), nullptr);
    const auto make = [&](std::size_t l, QTreeWidgetItem* under) {
        const auto& link = building_.draft.links[l];
        auto* item = under ? new QTreeWidgetItem(under) : new QTreeWidgetItem(tree_);
        QString joint = l == 0 ? tr("stands") : link.joint < 0 ? tr("\u2715 loose") : QString();
        if (link.joint >= 0) {
            const cell::FileJoint& j = building_.draft.joints[link.joint];
            joint = tr("%1 %2").arg(QString::fromStdString(j.joint.name), j.fixed     ? tr("fixed")
                                                                          : j.follows ? tr("follows")
                                                                          : j.joint.type == kinematics::JointType::hinge
                                                                              ? tr("hinge")
                                                                              : tr("slide"));
        }
        item->setText(0, QString::fromStdString(link.name.empty() ? "link " + std::to_string(l) : link.name));
        item->setText(1, joint);
        item->setForeground(1, link.hangs ? theme::muted : theme::stop);
        item->setData(0, Qt::UserRole, static_cast<int>(l));
        items[l] = item;
    };
    if (!items.empty()) make(0, nullptr);
    for (bool more = true; more;) {
        more = false;
        for (std::size_t l = 1; l < items.size(); ++l) {
            const int joint = building_.draft.links[l].joint;
            if (items[l] || joint < 0 || !items[building_.draft.joints[joint].joint.parent]) continue;
            make(l, items[building_.draft.joints[joint].joint.parent]);
            more = true;
        }
    }
    for (std::size_t l = 1; l < items.size(); ++l)
        if (!items[l]) make(l, nullptr);
    tree_->expandAll();
    if (!items.empty()) items[building_.link]->setSelected(true);
    filling_ = false;
}

void BuildPage::show_tries() {
    clear(tries_);
    try_rows_.clear();
    for (const cell::FileJoint& j : building_.draft.joints) {
        if (j.fixed || j.follows) continue;
        const double unit = joint_unit(j.joint);
        const QString name = QString::fromStdString(j.joint.name);
        auto* line = new QHBoxLayout;
        auto* label = plain_label(name);
        label->setFixedWidth(40);
        auto* slider = new QSlider(Qt::Horizontal);
        slider->setRange(0, slider_steps);
        slider->setObjectName("try_slider_" + name);
        slider->setAccessibleName(name);
        auto* value = new NumberField(joint_sign(j.joint), std::min(j.joint.low, j.joint.high) / unit,
            std::max(j.joint.low, j.joint.high) / unit);
        value->setObjectName("try_value_" + name);
        value->setFixedWidth(56);
        for (QWidget* w : std::initializer_list<QWidget*>{label, slider, value, plain_label(joint_sign(j.joint))})
            line->addWidget(w);
        tries_->addLayout(line);
        try_rows_.push_back({name, unit, j.joint.low, j.joint.high, slider, value});
        connect(slider, &QSlider::valueChanged, this, [this, name, low = j.joint.low, high = j.joint.high](int at) {
            if (!filling_) try_value(name, low + (high - low) * at / slider_steps);
        });
        connect(value, &NumberField::changed, this, [this, name, unit](double v) { try_value(name, v * unit); });
    }
    show_values();
}

void BuildPage::show_values() {
    filling_ = true;
    for (const Try& t : try_rows_) {
        const auto found = building_.values.find(t.joint.toStdString());
        const double v = found == building_.values.end() ? 0 : found->second;
        t.slider->setValue(static_cast<int>(std::lround(slider_steps * (v - t.low) / std::max(1e-9, t.high - t.low))));
        t.value->set_value(std::round(v / t.unit * 100) / 100);
    }
    filling_ = false;
    form_->show_values();
    view_->follow();
}

void BuildPage::show_mistakes() {
    const bool any = !building_.model.is_null();
    list_->clear();
    for (const cell::Problem& p : mistakes_) {
        QString where = QString::fromStdString(p.where);
        const QStringList parts = where.split('/');
        if (parts.size() > 1 && (parts[0] == "links" || parts[0] == "joints")) {
            const std::size_t i = parts[1].toUInt();
            const bool link = parts[0] == "links";
            if (link && i < building_.draft.links.size())
                where = tr("\"%1\"").arg(QString::fromStdString(building_.draft.links[i].name));
            if (!link && i < building_.draft.joints.size())
                where = tr("Joint %1").arg(QString::fromStdString(building_.draft.joints[i].joint.name));
            if (parts.size() > 3 && parts[2] == "bodies") where += tr(", body %1").arg(parts[3].toInt() + 1);
        } else if (where == "joints" || where == "links") {
            where = tr("Mechanism");
        }
        auto* item =
            new QListWidgetItem(QStringLiteral("\u2715 ") + where + ": " + QString::fromStdString(p.message), list_);
        item->setForeground(theme::stop);
        item->setData(Qt::UserRole, QString::fromStdString(p.where));
    }
    if (any && noted_ == id())
        for (const std::string& n : notes_) {
            auto* item = new QListWidgetItem(QStringLiteral("\u00b7 ") + QString::fromStdString(n), list_);
            item->setForeground(theme::muted);
        }
    list_->setVisible(list_->count() > 0);
    list_->setFixedHeight(std::min(130, 8 + 22 * list_->count()));
    const auto users = any ? cell::users_of_model(open_.resolved(), id()) : std::vector<std::string>();
    QStringList names;
    for (const std::string& u : users)
        if (const int i = open_.cell()->device(u); i >= 0)
            names << QString::fromStdString(open_.cell()->devices[i].name);
    QString said = !any ? QString()
                   : !mistakes_.empty()
                       ? tr("\u2715 %1 to mend; the cell keeps it as it was until then").arg(mistakes_.size())
                   : names.isEmpty() ? tr("\u2713 Nothing to mend. Not in the cell yet.")
                                     : tr("\u2713 Nothing to mend. In the cell: %1").arg(names.join(", "));
    if (any && mistakes_.empty() && building_.draft.problems.empty())
        said += tr(" \u00b7 %1").arg(QString::fromLatin1(kinematics::make_joint_solver(building_.draft.model)->name()));
    verdict_->setText(said);
    verdict_->setStyleSheet(QString("color: %1;").arg(mistakes_.empty() ? theme::good.name() : theme::stop.name()));
    findChild<QPushButton*>("build_place")->setEnabled(any && mistakes_.empty());
}

void BuildPage::go_to(const std::string& where) {
    const QStringList parts = QString::fromStdString(where).split('/');
    if (parts.size() > 1 && parts[0] == "links") choose(parts[1].toInt());
    if (parts.size() > 1 && parts[0] == "joints" && parts[1].toUInt() < building_.draft.joints.size())
        choose(building_.draft.joints[parts[1].toUInt()].joint.child);
    for (auto* field : form_->findChildren<QLineEdit*>())
        if (!field->isHidden() && field->objectName().startsWith("/" + QString::fromStdString(where)))
            return field->setFocus(), field->selectAll();
}

void BuildPage::choose(int link) {
    building_.link = std::clamp(link, 0, std::max(0, static_cast<int>(building_.draft.links.size()) - 1));
    show_form();
    show_tree();
    view_->follow();
}

void BuildPage::choose_link(int direction) {
    const int n = static_cast<int>(building_.draft.links.size());
    if (n > 0) choose((building_.link + direction + n) % n);
}

void BuildPage::try_value(const QString& joint, double value) {
    building_.values[joint.toStdString()] = value;
    show_values();
}

void BuildPage::jog(int direction) {
    const int joint = building_.drive_of(building_.link);
    if (joint < 0) return;
    const kinematics::Joint& j = building_.draft.joints[joint].joint;
    const double step = (j.type == kinematics::JointType::hinge ? step_deg_ : step_mm_)->value() * joint_unit(j);
    try_value(QString::fromStdString(j.name),
        std::clamp(building_.value(joint) + direction * step, std::min(j.low, j.high), std::max(j.low, j.high)));
}

void BuildPage::remove() {
    if (building_.model.is_null()) return;
    if (building_.link == 0)
        return Q_EMIT open_.refused(
            tr("Not removed"), tr("The base carries everything else. Choose a link to remove."));
    json model = building_.model;
    const int joint = building_.draft.links[building_.link].joint;
    const int parent = joint < 0 ? 0 : building_.draft.joints[joint].joint.parent;
    cell::remove_link(model, building_.link);
    const int next = parent > building_.link ? parent - 1 : parent;
    if (keep(tr("Remove link"), model)) choose(next);
}

void BuildPage::keep_ready() {
    if (building_.model.is_null() || !mistakes_.empty())
        return Q_EMIT open_.refused(tr("Not kept"), tr("Mend the mechanism first; then it can have a ready posture."));
    const auto& m = building_.draft.model.mechanism;
    kinematics::JointVector q(m.size());
    for (int i = 0; i < m.size(); ++i) {
        const auto found = building_.values.find(m.joints[i].name);
        q[i] = found == building_.values.end() ? 0.0 : found->second;
    }
    change(tr("Change ready posture"), [entry = cell::joints_json("ready", m, q)](json& model) {
        model.erase("ready"), model.erase("ready_deg");
        model[entry.first] = entry.second;
    });
}

void BuildPage::place() {
    if (building_.model.is_null()) return;
    try {
        std::string made;
        const cell::Offering what{"arm", id(), building_.model.value("name", id())};
        if (!open_.apply(cell::add_device(open_.layout(), what, {}, &made))) return;
        selection_.select(QString::fromStdString(made));
        Q_EMIT placed();
    } catch (const cell::InputError& e) {
        Q_EMIT open_.refused(tr("Nothing was placed"), QString::fromStdString(e.problems().front().message));
    }
}

}  // namespace escarp::desktop
