#include "playhead.h"

#include <algorithm>
#include <cmath>

namespace escarp::desktop {

using simulation::seconds;
using simulation::Ticks;

Playhead::Playhead(QObject* parent) : QObject(parent) {
    constexpr int frame_ms = 16;
    timer_.setInterval(frame_ms);
    connect(&timer_, &QTimer::timeout, this, &Playhead::ticked);
}

void Playhead::set_time(double s, double end) {
    const double next = std::clamp(s, 0.0, std::max(0.0, end));
    if (next == time_) return;
    time_ = next;
    Q_EMIT time_changed();
}

void Playhead::play(bool on, double end) {
    if (on == playing_) return;
    playing_ = on;
    if (on) {
        if (time_ >= end - 1e-6) set_time(0, end);
        clock_.restart();
        timer_.start();
    } else {
        timer_.stop();
    }
    Q_EMIT playing_changed();
}

void Playhead::advance(const simulation::Run& run) {
    const double end = seconds(run.trace.end);
    double next = time_ + static_cast<double>(clock_.restart()) * 1e-3 * speed_;
    if (next >= end - 1e-9) {
        if (run.steady) {  // on from one period before
            const double period = seconds(run.steady->period);
            next = std::max(seconds(run.steady->from), next - period * std::ceil((next - end + 1e-9) / period));
        } else {
            play(false, end);
        }
    }
    set_time(next, end);
}

void Playhead::step_event(int direction, const simulation::Run& run) {
    const Ticks now = static_cast<Ticks>(std::llround(time_ * 1e9));
    Ticks best = -1;
    for (const simulation::Block& b : run.trace.blocks)
        for (const Ticks t : {b.from, b.to}) {
            if (t == simulation::never || (direction > 0 ? t <= now : t >= now)) continue;
            if (best < 0 || (direction > 0 ? t < best : t > best)) best = t;
        }
    if (best >= 0) set_time(seconds(best), seconds(run.trace.end));
}

}  // namespace escarp::desktop
