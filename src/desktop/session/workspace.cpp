#include "workspace.h"

#include <QFile>
#include <QFileInfo>
#include <algorithm>
#include <cmath>

#include <desktop/looks/arm_words.h>
#include <kinematics/reach.h>
#include <simulation/kinds.h>

namespace escarp::desktop {
Workspace::Workspace(std::shared_ptr<inspection::Cache> cache, QObject* parent)
    : QObject(parent),
      results_(std::move(cache)),
      layout_(simulation::layout({}, document_.baseline())),
      drawn_(layout_) {
    connect(&playhead_, &Playhead::ticked, this, [this] {
        if (const auto e = evaluation()) playhead_.advance(*e->run);
    });
    connect(&playhead_, &Playhead::time_changed, this, [this] {
        let_go();
        Q_EMIT time_changed();
    });
    connect(&playhead_, &Playhead::playing_changed, this, &Workspace::playing_changed);
    connect(&results_, &Results::came, this, [this](bool zones_alone) {
        if (time() > end_time()) set_time(end_time());
        if (zones_alone) return Q_EMIT zones_found();
        // While something is dragged the figures need not be repainted for every frame.
        if (!trying() || preview_) return Q_EMIT evaluated();
        if (!told_soon_.isActive()) told_soon_.start(90);
    });
    told_soon_.setSingleShot(true);
    connect(&told_soon_, &QTimer::timeout, this, &Workspace::evaluated);
    connect(&file_, &KeptFile::changed_by_others, this, &Workspace::file_changed_outside);
    connect(&file_, &KeptFile::refused, this, &Workspace::refused);
    connect(&surfaces_, &Surfaces::loaded, this, &Workspace::shown_changed);
    connect(&surfaces_, &Surfaces::missing, this, [this](const QString& words) {
        Q_EMIT shown_changed();
        Q_EMIT refused(tr("A linked file is missing"), words);
    });
    start_new();
}

std::optional<cell::Layout> Workspace::sense(const cell::Document& document, QString& why) const {
    const std::string variant = variant_.toStdString();
    cell::Layout layout = simulation::layout(document, document.has_variant(variant) ? variant : document.baseline());
    try {
        layout.cell();
        return layout;
    } catch (const cell::InputError& e) {
        why = told(e);
        return std::nullopt;
    }
}

void Workspace::start_new() {
    const cell::Document fresh;
    file_.begin(fresh);
    begin(fresh);
}

/// Another document: of the one before nothing is left.
void Workspace::begin(const cell::Document& document, std::optional<cell::Layout> known) {
    document_ = document;
    variant_ = QString::fromStdString(document_.baseline());
    also_.clear();
    hidden_.clear();
    history_.clear(), results_.forget();
    draft_.reset();
    selection_ = {};
    signal_lanes_.clear();
    play(false);
    renew(std::move(known));
    Q_EMIT selection_changed();
    playhead_.set_time(0, 0);
    Q_EMIT time_changed();
}

bool Workspace::open(const QString& file) {
    if (!file_.name().isEmpty() && QFileInfo(file) == QFileInfo(file_.name())) return read_again();
    const std::optional<cell::Layout> opened = file_.open(file);
    if (opened) begin(opened->document(), *opened);
    return opened.has_value();
}

/// The file that is open, as it is on the disk now: a step that can be undone, so that no edit is lost by it.
bool Workspace::read_again() {
    const bool was_modified = modified();
    const std::optional<cell::Document> opened = file_.read_again();
    if (!opened) return false;
    if (was_modified) file_.keep_dropped(document_);
    if (!(*opened == document_)) history_.remember({document_, variant_}, *opened, tr("reading the file again"));
    surfaces_.forget();  // linked geometry may be another by now, or gone
    set_document(*opened);
    return true;
}

void Workspace::take_lost(const QString& file) {
    if (const auto found = file_.take_lost(file)) begin(*found);
}

bool Workspace::save_as(const QString& file, cell::MayReplace may) {
    if (!file_.save_as(file, document_, may)) return false;
    Q_EMIT document_changed();
    return true;
}

void Workspace::take_left_over() {
    const auto found = file_.take_left_over();
    if (!found) return;
    history_.remember({document_, variant_}, *found, tr("recovered edits"));
    set_document(*found);
}

void Workspace::drop_left_over() {
    const auto dropped = file_.drop_left_over(document_);
    if (!dropped) return;
    history_.remember({*dropped, variant_}, document_, tr("dropping the kept edits"));
    Q_EMIT document_changed();
}

void Workspace::take_unsaved(const cell::Recovered& found) {
    start_new();
    file_.write_down(found.document, "recovered");
    set_document(found.document);
    QFile::remove(QString::fromStdString(found.journal));
}

void Workspace::find_altered() {
    altered_.clear();
    const cell::Document& d = shown_document();
    const std::string id = variant_.toStdString();
    if (!d.has_variant(id) || id == d.baseline()) return;
    for (const cell::Operation& op : d.differences(id)) {
        const std::string at = op.kind == cell::Operation::Kind::add && op.value.is_object()
                                   ? op.at + "/" + op.value.value("id", "")
                                   : op.at;
        const cell::json* before = cell::find(d.tree(), at);
        altered_[at] = before ? *before : cell::json();
    }
}

void Workspace::renew(std::optional<cell::Layout> known) {
    find_altered();
    surfaces_.follow(shown_document().tree(), QFileInfo(file()).absolutePath());
    drawn_ = known ? std::move(*known) : simulation::layout(shown_document(), variant_.toStdString());
    if (!trying()) layout_ = drawn_;
    try {
        cell_ = drawn_.shared_cell();
    } catch (const cell::InputError&) {
        // A variant can fall behind an edit of the baseline: the last good cell stays in view, the error is shown.
        if (!cell_) cell_ = std::make_shared<const cell::Cell>();
    }
    std::vector<cell::Layout> layouts{drawn_};
    QStringList all{variant_};
    for (const cell::VariantInfo& v : shown_document().variants()) {
        const QString id = QString::fromStdString(v.id);
        if (id == variant_) continue;
        all << id;
        if (!trying()) layouts.push_back(simulation::layout(document_, v.id));  // while dragging only what is looked at
    }
    results_.ask(std::move(layouts), all);
    Q_EMIT document_changed();
    if (!trying() || preview_) Q_EMIT evaluated();
    else if (!told_soon_.isActive()) told_soon_.start(90);
    // What is not there any more is not selected: also where only a draft had it.
    if (!selection_.device.isEmpty() && cell_->device(selection_.device.toStdString()) < 0) select({});
}

void Workspace::set_document(const cell::Document& document, std::optional<cell::Layout> known) {
    document_ = document;
    draft_.reset();
    also_.removeIf([&](const QString& id) {
        return !cell::find(document_.tree(), cell::at_device(id.toStdString())) &&
               variant_ == QString::fromStdString(document_.baseline());
    });
    if (!document_.has_variant(variant_.toStdString())) {
        variant_ = QString::fromStdString(document_.baseline());
        known.reset();
    }
    renew(std::move(known));
}

bool Workspace::apply(const cell::Edit& edit) {
    try {
        return replace(document_.edited(variant_.toStdString(), edit), QString::fromStdString(edit.name));
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("This change is not possible"), told(e));
        return false;
    }
}

void Workspace::set_gains(const std::string& content, const study::Gains& gains) {
    gains_of_ = content;
    gains_.clear();
    for (const study::Gain& g : gains.all) gains_[g.at] = g;
    Q_EMIT gains_found();
}

const study::Gain* Workspace::gain_of(const std::string& path) const {
    const auto found = gains_.find(path);
    return found != gains_.end() && gains_of_ == layout_.content() ? &found->second : nullptr;
}

bool Workspace::replace(const cell::Document& next, const QString& name) {
    QString why;
    std::optional<cell::Layout> sensed = sense(next, why);
    if (!sensed) {
        Q_EMIT refused(tr("This change is not possible"), why);
        drop_draft();
        return false;
    }
    if (next == document_) {
        drop_draft();
        return true;
    }
    history_.remember({document_, variant_}, next, name);
    document_ = next;
    file_.write_down(document_, name);
    set_document(next, std::move(sensed));
    return true;
}

void Workspace::go_back(int edits) {
    UndoHistory::State now{document_, variant_};
    const std::optional<QString> last = history_.go_back(edits, now);
    if (!last) return;
    document_ = std::move(now.document), variant_ = now.variant;
    file_.write_down(document_, edits < 0 ? tr("Redo %1").arg(*last) : tr("Undo %1").arg(*last));
    set_document(cell::Document(document_));
}

bool Workspace::try_out(const cell::Edit& edit, bool preview) { return try_edit(edit, preview, false); }

bool Workspace::try_quietly(const cell::Edit& edit) { return try_edit(edit, false, true); }

bool Workspace::try_edit(const cell::Edit& edit, bool preview, bool quiet) {
    QString why;
    try {
        cell::Document next = document_.edited(variant_.toStdString(), edit);
        if (std::optional<cell::Layout> layout = sense(next, why)) {
            draft_ = std::move(next);
            draft_edit_ = edit;
            preview_ = preview;
            if (!preview) file_.write_down_draft(variant_, edit);
            renew(std::move(layout));
            return true;
        }
    } catch (const cell::InputError& e) {
        why = told(e);
    }
    if (!quiet) Q_EMIT refused(tr("This change is not possible"), why);
    return false;
}

void Workspace::take_draft() {
    if (!trying()) return;
    const cell::Document next = *draft_;
    replace(next, draft_name());
}

void Workspace::drop_draft() {
    if (!trying()) return;
    draft_.reset();
    file_.end_draft();
    renew(layout_);
}

void Workspace::set_variant(const QString& id) {
    if (id == variant_ || !document_.has_variant(id.toStdString())) return;
    if (trying()) file_.end_draft();
    draft_.reset();
    variant_ = id;
    renew();
    set_time(std::min(time(), end_time()));
}

QString Workspace::variant_name(const QString& id) const {
    for (const cell::VariantInfo& v : document_.variants())
        if (QString::fromStdString(v.id) == id) return QString::fromStdString(v.name);
    return {};
}

void Workspace::look_at_run(std::shared_ptr<const simulation::Run> run, const QString& name,
    const std::shared_ptr<const study::Judged>& judged) {
    const bool goes_on = !name.isEmpty() && other_run() == name;  // the same, grown
    if (!results_.look_at_run(std::move(run), name, judged)) return;
    if (!goes_on) play(false);
    if (time() > end_time()) set_time(end_time());
    Q_EMIT evaluated();
}

std::shared_ptr<const inspection::Zones> Workspace::zones() const {
    if (!evaluation()) return nullptr;  // those of figures that are only compared are not shown
    const auto e = evaluation_of(variant_);
    return e ? e->zones : nullptr;
}

bool Workspace::settled(bool every_variant) const {
    const auto own = evaluation_of(variant_);
    if (told_soon_.isActive() || !current() || (own && !own->complete)) return false;
    if (!every_variant || trying()) return true;
    const auto all = document_.variants();
    return std::all_of(all.begin(), all.end(),
        [this](const cell::VariantInfo& v) { return current_of(QString::fromStdString(v.id)); });
}

void Workspace::force(const std::string& signal, std::optional<double> value) {
    if (!results_.force(signal, value)) return;
    Q_EMIT forced_changed();
    renew(drawn_);
}

void Workspace::let_go_forced() {
    if (!results_.let_go_forced()) return;
    Q_EMIT forced_changed();
    renew(drawn_);
}

void Workspace::show_signal_lane(const QString& signal, bool on) {
    if (signal_lanes_.contains(signal) == on) return;
    if (on) signal_lanes_ << signal;
    else signal_lanes_.removeOne(signal);
    Q_EMIT lanes_changed();
}

void Workspace::select(const QString& device, const QString& step) {
    const Selection next{device, step};
    if (next == selection_ && also_.isEmpty()) return;
    selection_ = next;
    also_.clear();
    Q_EMIT selection_changed();
}

void Workspace::select_devices(const QStringList& devices) {
    const Selection next{devices.value(0), {}};
    const QStringList rest = devices.mid(1);
    if (next == selection_ && rest == also_) return;
    selection_ = next;
    also_ = rest;
    Q_EMIT selection_changed();
}

void Workspace::toggle(const QString& device) {
    QStringList all = selected();
    if (!all.removeOne(device)) all << device;
    select_devices(all);
}

QStringList Workspace::selected() const {
    QStringList all;
    for (const QString& id : QStringList{selection_.device} + also_)
        if (cell_->device(id.toStdString()) >= 0 && !all.contains(id)) all << id;
    return all;
}

bool Workspace::is_selected(const std::string& device) const {
    const QString id = QString::fromStdString(device);
    return id == selection_.device || also_.contains(id);
}

std::vector<int> Workspace::selected_indexes() const {
    std::vector<int> out;
    for (const QString& id : selected())
        if (const int i = cell_->device(id.toStdString()); i >= 0) out.push_back(i);
    return out;
}

QStringList Workspace::group_of(const QString& device) const {
    QStringList all{device};
    const int index = cell_->device(device.toStdString());
    if (index < 0) return all;
    const std::string& group = cell_->devices[index].group;
    for (const cell::Device& d : cell_->devices)
        if (!group.empty() && d.group == group && QString::fromStdString(d.id) != device)
            all << QString::fromStdString(d.id);
    return all;
}

void Workspace::set_shown(const Shown& shown) {
    if (shown == shown_) return;
    shown_ = shown;
    Q_EMIT shown_changed();
}

void Workspace::set_hidden(const QSet<QString>& devices) {
    if (devices == hidden_) return;
    hidden_ = devices;
    Q_EMIT shown_changed();
}

void Workspace::set_nearest(const inspection::LeastClearance* nearest) {
    if (!nearest && !nearest_) return;
    if (nearest) nearest_ = *nearest;
    else nearest_.reset();
    Q_EMIT nearest_changed();
}

void Workspace::pose(const std::string& device, const kinematics::JointVector& q) {
    play(false);
    posed_ = Posed{device, q};
    ++pose_count_;
    Q_EMIT posed_changed();
}

void Workspace::set_by_hand(const ByHand& by_hand) {
    if (by_hand == by_hand_) return;
    by_hand_ = by_hand;
    Q_EMIT by_hand_changed();
}

int Workspace::arm_by_hand() const {
    const int i = by_hand_.on ? cell_->device(selection_.device.toStdString()) : -1;
    return i >= 0 && cell_->devices[i].arm ? i : -1;
}

geometry::Frame Workspace::tool_by_hand() const {
    const int arm = arm_by_hand();
    if (arm < 0) return geometry::Frame::Identity();
    const cell::Device& d = cell_->devices[arm];
    return d.world * d.arm->model->flange_frame(joints(arm)) * d.arm->tool_frame;
}

bool Workspace::bring_tool(const geometry::Frame& tool, bool leaps) {
    const int arm = cell_->device(selection_.device.toStdString());
    if (arm < 0 || !cell_->devices[arm].arm) return false;
    const cell::Device& d = cell_->devices[arm];
    const cell::Brought brought = cell::bring_tool(d, joints(arm), tool, leaps);
    if (brought.q) {
        Q_EMIT hand_stopped({});
        pose(d.id, *brought.q);
        return true;
    }
    if (brought.joint >= 0) {
        const kinematics::Joint& tight = d.arm->model->mechanism.joints[brought.joint];
        Q_EMIT hand_stopped(tr("%1 would be %2 %3 beyond its limit.")
                                .arg(QString::fromStdString(tight.name))
                                .arg(brought.beyond / joint_unit(tight), 0, 'f', 1)
                                .arg(joint_sign(tight)));
    } else {
        Q_EMIT hand_stopped(brought.can_orient ? tr("The arm cannot reach there.")
                                               : tr("The arm cannot bring its tool into this orientation."));
    }
    return false;
}

void Workspace::set_ghosts(const std::string& device, std::vector<kinematics::JointVector> ghosts) {
    if (ghosts.empty() && ghosts_.empty()) return;
    ghosts_for_ = device;
    ghosts_ = std::move(ghosts);
    Q_EMIT ghosts_changed();
}

const std::vector<kinematics::JointVector>& Workspace::ghosts_of(const std::string& device) const {
    static const std::vector<kinematics::JointVector> none;
    return device == ghosts_for_ ? ghosts_ : none;
}

void Workspace::let_go() {
    if (!posed_) return;
    posed_.reset();
    ++pose_count_;
    Q_EMIT posed_changed();
}

void Workspace::step_event(int direction) {
    if (const auto e = evaluation()) playhead_.step_event(direction, *e->run);
}

}  // namespace escarp::desktop
