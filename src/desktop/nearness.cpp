#include "nearness.h"

namespace escarp::desktop {

Nearness::Nearness(Workspace& workspace, QObject* parent) : QObject(parent), workspace_(workspace) {
    thread_ = std::thread([this] { work(); });
}

Nearness::~Nearness() {
    {
        const std::lock_guard guard(lock_);
        quit_ = true, stop_ = true;
    }
    wake_.notify_all();
    thread_.join();
}

void Nearness::look(double from, double to, int bins) {
    Question q{workspace_.evaluation(), std::max(0.0, from), to, bins};
    if (!q.evaluation) return forget();
    q.to = std::min(q.to, q.evaluation->inspection->checked_s);
    if (q.to <= q.from || bins < 1) return forget();
    const QStringList selected = workspace_.selected();
    const auto device = [&](int nth) {
        return nth < selected.size() ? q.evaluation->cell->device(selected[nth].toStdString()) : -1;
    };
    q.one = device(0), q.other = device(1);
    if (q == asked_) return;
    const auto name = [&](int i) {
        return QString::fromStdString(q.evaluation->cell->devices[static_cast<std::size_t>(i)].name);
    };
    title_ = q.one < 0     ? tr("everything")
             : q.other < 0 ? name(q.one)
                           : name(q.one) + QStringLiteral(" \u2194 ") + name(q.other);
    asked_ = q;
    curve_.reset();
    {
        const std::lock_guard guard(lock_);
        next_ = std::move(q);
        stop_ = true;
    }
    wake_.notify_all();
}

void Nearness::forget() {
    asked_ = {};
    curve_.reset();
}

const inspection::LeastClearance* Nearness::at(double t) const {
    if (!curve_ || t < curve_->from || t > curve_->to) return nullptr;
    const auto count = static_cast<double>(curve_->bins.size());
    const auto bin =
        static_cast<std::size_t>(std::clamp((t - curve_->from) / (curve_->to - curve_->from) * count, 0.0, count - 1));
    return curve_->bins[bin].device_a < 0 ? nullptr : &curve_->bins[bin];
}

void Nearness::work() {
    inspection::Cache cache;
    while (true) {
        Question q;
        {
            std::unique_lock hold(lock_);
            wake_.wait(hold, [this] { return quit_ || next_; });
            if (quit_) return;
            q = *std::exchange(next_, std::nullopt);
            stop_ = false;
        }
        try {
            auto curve = inspection::clearance_over_time(
                *q.evaluation->cell, *q.evaluation->run, cache, q.from, q.to, q.bins, q.one, q.other, 1.0, &stop_);
            QMetaObject::invokeMethod(this, [this, q, curve = std::move(curve)] {
                if (!(q == asked_)) return;
                curve_ = curve;
                Q_EMIT found();
            });
        } catch (const inspection::Overtaken&) {
        }
    }
}

}  // namespace escarp::desktop
