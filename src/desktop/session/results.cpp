#include "results.h"

namespace escarp::desktop {

Results::Results(std::shared_ptr<inspection::Cache> cache, QObject* parent)
    : QObject(parent), cache_(std::move(cache)), evaluator_(*cache_) {
    connect(&evaluator_, &Evaluator::done, this, &Results::take);
    constexpr int soon_ms = 90;
    soon_.setSingleShot(true);
    soon_.setInterval(soon_ms);
    connect(&soon_, &QTimer::timeout, this, &Results::evaluated);
}

void Results::tell() {
    if (!dragging_) return Q_EMIT evaluated();
    if (!soon_.isActive()) soon_.start();
}

void Results::ask(std::vector<cell::Layout> layouts, const QStringList& variants, bool dragging) {
    ++edit_;
    dragging_ = dragging;
    other_run_ = nullptr;
    looked_at_ = QString::fromStdString(layouts.front().variant());
    std::erase_if(found_, [&](const auto& one) { return !variants.contains(one.first); });
    std::vector<Evaluator::Asked> all;
    for (cell::Layout& layout : layouts) {
        const QString variant = QString::fromStdString(layout.variant());
        Evaluator::Asked one{std::move(layout)};
        const auto found = found_.find(variant);
        if (found != found_.end() && found->second.forced == forced_ && (found->second.whole || variant != looked_at_))
            one.known = found->second.evaluation;
        all.push_back(std::move(one));
    }
    evaluator_.ask(std::move(all), edit_, forced_);
}

void Results::take(const Evaluated& result) {
    if (result.edit != edit_) return;  // a newer edit has overtaken it
    const bool looked_at = result.variant == looked_at_;
    if (looked_at) other_run_ = nullptr, took_ms_ = result.took_ms;
    Found& found = found_[result.variant];
    const bool zones_alone = result.evaluation && result.evaluation->zones && found.edit == result.edit;
    // Of a variant that is not looked at, the figures are compared; its run would only fill the memory.
    const bool whole = looked_at || !result.evaluation, small = result.as_before && !found.whole;
    found = {whole || small ? result.evaluation : result.evaluation->without_history(), result.error, result.edit,
        whole, forced_};
    Q_EMIT came();
    if (zones_alone) Q_EMIT zones_found();
    else tell();
}

std::shared_ptr<const study::Evaluation> Results::of(const QString& variant) const {
    const auto found = found_.find(variant);
    return found == found_.end() ? nullptr : found->second.evaluation;
}

std::shared_ptr<const study::Evaluation> Results::shown() const {
    if (other_run_) return other_run_;
    const auto found = found_.find(looked_at_);
    return found == found_.end() || !found->second.whole ? nullptr : found->second.evaluation;
}

QString Results::error_of(const QString& variant) const {
    const auto found = found_.find(variant);
    return found == found_.end() ? QString() : found->second.error;
}

bool Results::current(const QString& variant) const {
    const auto found = found_.find(variant);
    return found != found_.end() && found->second.edit == edit_;
}

std::shared_ptr<const inspection::Zones> Results::zones() const {
    if (!shown()) return nullptr;  // those of figures that are only compared are not shown
    const auto e = of(looked_at_);
    return e ? e->zones : nullptr;
}

double Results::end_time() const {
    const auto e = other_run_ ? other_run_ : of(looked_at_);
    return e ? simulation::seconds(e->run->trace.end) : 0.0;
}

void Results::look_at_run(std::shared_ptr<const simulation::Run> run, const QString& name,
    const std::shared_ptr<const study::Judged>& judged) {
    if (!run && !other_run_) return;
    const bool goes_on = !name.isEmpty() && other_run() == name;
    other_run_ = nullptr;
    if (const auto own = shown(); own && run) {
        auto other = std::make_shared<study::Evaluation>(*own);
        other->run = std::move(run);
        other->chain.clear();
        if (judged) other->figures = judged->figures, other->inspection = judged->inspection;
        other->zones = nullptr;  // of their own run
        other_run_ = std::move(other);
    }
    other_name_ = name;
    other_is_judged_ = judged != nullptr;
    Q_EMIT other_run_shown(goes_on);
    Q_EMIT evaluated();
}

void Results::force(const std::string& signal, std::optional<double> value) {
    const auto now = forced_.find(signal);
    if (value ? now != forced_.end() && now->second == *value : now == forced_.end()) return;
    if (value) forced_[signal] = *value;
    else forced_.erase(now);
    Q_EMIT forced_changed();
}

void Results::let_go_forced() {
    if (forced_.empty()) return;
    forced_.clear();
    Q_EMIT forced_changed();
}

void Results::set_gains(const std::string& content, const study::Gains& gains) {
    gains_of_ = content;
    gains_.clear();
    for (const study::Gain& g : gains.all) gains_[g.at] = g;
    Q_EMIT gains_found();
}

const study::Gain* Results::gain_of(const std::string& path, const cell::Layout& layout) const {
    const auto found = gains_.find(path);
    return found != gains_.end() && gains_of_ == layout.content() ? &found->second : nullptr;
}

}  // namespace escarp::desktop
