#include "playhead.h"

#include <algorithm>
#include <cmath>

namespace escarp::desktop {

using simulation::seconds;
using simulation::Ticks;

Playhead::Playhead(const OpenCell& open, const Results& results, QObject* parent) : QObject(parent), results_(results) {
    constexpr int frame_ms = 16;
    timer_.setInterval(frame_ms);
    connect(&timer_, &QTimer::timeout, this, &Playhead::advance);
    connect(&open, &OpenCell::begins, this, [this] { play(false); });
    connect(&open, &OpenCell::begun, this, [this] {
        time_ = 0;
        Q_EMIT time_changed();
    });
    connect(&open, &OpenCell::renewed, this, &Playhead::stay_within);
    connect(&results_, &Results::came, this, &Playhead::stay_within);
    connect(&results_, &Results::other_run_shown, this, [this](bool goes_on) {
        if (!goes_on) play(false);
        stay_within();
    });
}

Ticks Playhead::instant() const { return static_cast<Ticks>(std::llround(time_ * 1e9)); }

void Playhead::stay_within() {
    if (time_ > results_.end_time()) set_time(results_.end_time());
}

void Playhead::set_time(double s) {
    const double next = std::clamp(s, 0.0, std::max(0.0, results_.end_time()));
    if (next == time_) return;
    time_ = next;
    Q_EMIT time_changed();
}

void Playhead::play(bool on) {
    if (on == playing_) return;
    playing_ = on;
    if (on) {
        if (time_ >= results_.end_time() - 1e-6) set_time(0);
        clock_.restart();
        timer_.start();
    } else {
        timer_.stop();
    }
    Q_EMIT playing_changed();
}

/// So much time has passed: in the steady state the picture repeats, else it stops at the end.
void Playhead::advance() {
    const auto e = results_.shown();
    if (!e) return;
    const simulation::Run& run = *e->run;
    const double end = seconds(run.trace.end);
    double next = time_ + static_cast<double>(clock_.restart()) * 1e-3 * speed_;
    if (next >= end - 1e-9) {
        if (run.steady) {  // on from one period before
            const double period = seconds(run.steady->period);
            next = std::max(seconds(run.steady->from), next - period * std::ceil((next - end + 1e-9) / period));
        } else {
            play(false);
        }
    }
    set_time(next);
}

void Playhead::step_event(int direction) {
    const auto e = results_.shown();
    if (!e) return;
    const Ticks now = instant();
    Ticks best = -1;
    for (const simulation::Block& b : e->run->trace.blocks)
        for (const Ticks t : {b.from, b.to}) {
            if (t == simulation::never || (direction > 0 ? t <= now : t >= now)) continue;
            if (best < 0 || (direction > 0 ? t < best : t > best)) best = t;
        }
    if (best >= 0) set_time(seconds(best));
}

}  // namespace escarp::desktop
