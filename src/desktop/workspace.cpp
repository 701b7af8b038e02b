#include "workspace.h"

#include <algorithm>
#include <cmath>

#include <simulation/kinds.h>

namespace escarp::desktop {
namespace {

constexpr std::size_t most_undo = 500;

QString told(const cell::InputError& e) {
    QStringList lines;
    for (const cell::Problem& p : e.problems()) lines << QString::fromStdString(p.where) + ": " + QString::fromStdString(p.message);
    if (lines.size() > 8) lines = lines.mid(0, 8) << QObject::tr("and %1 more").arg(lines.size() - 8);
    return lines.join('\n');
}

}  // namespace

Workspace::Workspace(QObject* parent) : QObject(parent) {
    timer_.setInterval(16);
    connect(&timer_, &QTimer::timeout, this, &Workspace::tick);
    connect(&evaluator_, &Evaluator::done, this, [this](const Evaluated& r) {
        if (r.edit != edit_) return;  // a newer edit has overtaken it
        results_[r.variant] = {r.evaluation, r.error, r.edit};
        if (r.variant == variant_) took_ms_ = r.took_ms;
        if (r.variant == variant_ && time_ > end_time()) set_time(end_time());
        Q_EMIT evaluated();
    });
    start_new();
}

bool Workspace::makes_sense(const cell::Document& document, std::shared_ptr<const cell::Cell>& out) {
    try {
        out = cell::read_cell(document.resolved(document.has_variant(variant_.toStdString()) ? variant_.toStdString() : document.baseline()), simulation::standard_kinds());
        return true;
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("This change is not possible"), told(e));
        return false;
    }
}

void Workspace::start_new() {
    document_ = saved_ = cell::Document();
    file_.clear();
    variant_ = QString::fromStdString(document_.baseline());
    undo_.clear(), redo_.clear(), results_.clear();
    draft_.reset();
    selection_ = {};
    time_ = 0;
    play(false);
    renew();
    Q_EMIT selection_changed();
    Q_EMIT time_changed();
}

bool Workspace::open(const QString& file) {
    try {
        const cell::Document opened = cell::Document::load(file.toStdString());
        auto cell = cell::read_cell(opened.resolved(opened.baseline()), simulation::standard_kinds());
        start_new();
        document_ = saved_ = opened;
        file_ = file;
        variant_ = QString::fromStdString(opened.baseline());
        renew();
        return true;
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("%1 cannot be opened").arg(file), told(e));
        return false;
    }
}

bool Workspace::save_as(const QString& file) {
    try {
        document_.save(file.toStdString());
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("The file was not saved"), told(e));
        return false;
    }
    saved_ = document_;
    file_ = file;
    Q_EMIT document_changed();
    return true;
}

void Workspace::renew() {
    ++edit_;
    try {
        cell_ = cell::read_cell(shown_document().resolved(variant_.toStdString()), simulation::standard_kinds());
    } catch (const cell::InputError&) {
        // A variant can fall behind an edit of the baseline: the last good cell stays in view, the error is shown.
        if (!cell_) cell_ = std::make_shared<const cell::Cell>();
    }
    QStringList order{variant_};
    for (const cell::VariantInfo& v : shown_document().variants())
        if (QString::fromStdString(v.id) != variant_) order << QString::fromStdString(v.id);
    if (trying()) order = {variant_};  // while dragging only what is looked at
    evaluator_.ask(shown_document(), order, edit_);
    Q_EMIT document_changed();
    Q_EMIT evaluated();
}

void Workspace::set_document(const cell::Document& document) {
    document_ = document;
    draft_.reset();
    if (!document_.has_variant(variant_.toStdString())) variant_ = QString::fromStdString(document_.baseline());
    renew();
    if (!selection_.device.isEmpty() && cell_->device(selection_.device.toStdString()) < 0) select({});
}

bool Workspace::apply(const cell::Edit& edit) {
    try {
        return replace(document_.edited(variant_.toStdString(), edit), QString::fromStdString(edit.name));
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("This change is not possible"), told(e));
        return false;
    }
}

bool Workspace::replace(const cell::Document& next, const QString& name) {
    std::shared_ptr<const cell::Cell> unused;
    if (!makes_sense(next, unused)) {
        drop_draft();
        return false;
    }
    if (next == document_) {
        drop_draft();
        return true;
    }
    undo_.push_back({document_, variant_, name});
    if (undo_.size() > most_undo) undo_.erase(undo_.begin());
    redo_.clear();
    set_document(next);
    return true;
}

void Workspace::undo() {
    if (!can_undo()) return;
    const Snapshot s = undo_.back();
    undo_.pop_back();
    redo_.push_back({document_, variant_, s.name});
    variant_ = s.variant;
    set_document(s.document);
}

void Workspace::redo() {
    if (!can_redo()) return;
    const Snapshot s = redo_.back();
    redo_.pop_back();
    undo_.push_back({document_, variant_, s.name});
    variant_ = s.variant;
    set_document(s.document);
}

bool Workspace::try_out(const cell::Edit& edit, bool preview) {
    try {
        cell::Document next = document_.edited(variant_.toStdString(), edit);
        std::shared_ptr<const cell::Cell> unused;
        if (!makes_sense(next, unused)) return false;
        draft_ = std::move(next);
        draft_edit_ = edit;
        preview_ = preview;
        renew();
        return true;
    } catch (const cell::InputError& e) {
        Q_EMIT refused(tr("This change is not possible"), told(e));
        return false;
    }
}

void Workspace::take_draft() {
    if (!trying()) return;
    const cell::Document next = *draft_;
    replace(next, draft_name());
}

void Workspace::drop_draft() {
    if (!trying()) return;
    draft_.reset();
    renew();
}

void Workspace::set_variant(const QString& id) {
    if (id == variant_ || !document_.has_variant(id.toStdString())) return;
    draft_.reset();
    variant_ = id;
    renew();
    if (!selection_.device.isEmpty() && cell_->device(selection_.device.toStdString()) < 0) select({});
    set_time(std::min(time_, end_time()));
}

QString Workspace::variant_name(const QString& id) const {
    for (const cell::VariantInfo& v : document_.variants())
        if (QString::fromStdString(v.id) == id) return QString::fromStdString(v.name);
    return {};
}

std::shared_ptr<const study::Evaluation> Workspace::evaluation_of(const QString& variant) const {
    const auto found = results_.find(variant);
    return found == results_.end() ? nullptr : found->second.evaluation;
}

QString Workspace::error_of(const QString& variant) const {
    const auto found = results_.find(variant);
    return found == results_.end() ? QString() : found->second.error;
}

bool Workspace::current_of(const QString& variant) const {
    const auto found = results_.find(variant);
    return found != results_.end() && found->second.edit == edit_;
}

void Workspace::select(const QString& device, const QString& step) {
    const Selection next{device, step};
    if (next == selection_) return;
    selection_ = next;
    Q_EMIT selection_changed();
}

double Workspace::end_time() const {
    const auto e = evaluation();
    return e ? simulation::seconds(e->run->trace.end) : 0.0;
}

void Workspace::set_time(double s) {
    const double next = std::clamp(s, 0.0, std::max(0.0, end_time()));
    if (next == time_) return;
    time_ = next;
    Q_EMIT time_changed();
}

void Workspace::play(bool on) {
    if (on == playing_) return;
    playing_ = on;
    if (on) {
        if (time_ >= end_time() - 1e-6) set_time(0);
        clock_.restart();
        timer_.start();
    } else {
        timer_.stop();
    }
    Q_EMIT playing_changed();
}

void Workspace::tick() {
    const double passed = static_cast<double>(clock_.restart()) * 1e-3 * speed_;
    // In the steady state the picture repeats: play on from one period before.
    const auto e = evaluation();
    double next = time_ + passed;
    if (e && next >= end_time() - 1e-9) {
        if (e->run->steady) next = std::max(simulation::seconds(e->run->steady->from), next - simulation::seconds(e->run->steady->period) * std::ceil((next - end_time() + 1e-9) / simulation::seconds(e->run->steady->period)));
        else play(false);
    }
    set_time(next);
}

void Workspace::step_event(int direction) {
    const auto e = evaluation();
    if (!e) return;
    const simulation::Ticks now = static_cast<simulation::Ticks>(std::llround(time_ * 1e9));
    simulation::Ticks best = -1;
    for (const simulation::Block& b : e->run->trace.blocks)
        for (const simulation::Ticks t : {b.from, b.to}) {
            if (t == simulation::never || (direction > 0 ? t <= now : t >= now)) continue;
            if (best < 0 || (direction > 0 ? t < best : t > best)) best = t;
        }
    if (best >= 0) set_time(simulation::seconds(best));
}

}  // namespace escarp::desktop
