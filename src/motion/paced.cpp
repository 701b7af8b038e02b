#include "paced.h"

#include <algorithm>
#include <cmath>

#include <geometry/indices.h>
#include "tool_motion.h"

namespace escarp::motion {
namespace {

constexpr double quickest = 0.04, slowest = 4.0, next_try = 1.15;  // s: how long a clock is slowed for
constexpr double least_pull = 0.5;                                 // m/s^2: of the tool, always allowed
constexpr int samples = 40;
constexpr double between_samples = 0.008;  // s, at most, for acceleration

class OnClock final : public Motion {
public:
    OnClock(MotionPtr motion, double rate) : motion_(std::move(motion)), rate_(rate) {}
    std::size_t bytes() const override { return sizeof *this + motion_->bytes(); }
    double duration() const override { return motion_->duration() / rate_; }
    JointState at(double t) const override {
        const JointState s = motion_->at(t * rate_);
        return {s.q, s.rate * rate_, s.acceleration * rate_ * rate_};
    }
    JointVector position(double t) const override { return motion_->position(t * rate_); }
    JointVector rate_bound(double from, double to) const override {
        return motion_->rate_bound(from * rate_, to * rate_) * rate_;
    }
    std::optional<JointVector> acceleration_bound(double from, double to) const override {
        auto most = motion_->acceleration_bound(from * rate_, to * rate_);
        if (most) *most *= rate_ * rate_;
        return most;
    }
    std::vector<double> breaks() const override {
        std::vector<double> all = motion_->breaks();
        for (double& b : all) b /= rate_;
        return all;
    }

private:
    const MotionPtr motion_;
    const double rate_;
};

/// From 0 to 1 with no rate and no acceleration at either end: its value, integral and derivative.
struct Step {
    double value, sum, rate;
};
Step smooth(double u) {
    u = std::clamp(u, 0.0, 1.0);
    const double u2 = u * u, u3 = u2 * u;
    return {u3 * (6 * u2 - 15 * u + 10), u3 * u * (u2 - 3 * u + 2.5), 30 * u2 * (1 - u) * (1 - u)};
}

/// A motion seen on a clock that runs down, or up.
class Paced final : public Motion {
public:
    Paced(MotionPtr motion, double from, double takes, bool up)
        : motion_(std::move(motion)), from_(from), takes_(takes), up_(up) {}
    std::size_t bytes() const override { return sizeof *this + motion_->bytes(); }
    double duration() const override {
        return up_ ? std::max(takes_, takes_ + motion_->duration() - from_ - 0.5 * takes_) : takes_;
    }
    JointState at(double t) const override {
        const Clock c = clock(std::clamp(t, 0.0, duration()));
        const JointState s = motion_->at(c.time);
        return {s.q, s.rate * c.rate, s.acceleration * c.rate * c.rate + s.rate * c.acceleration};
    }
    JointVector position(double t) const override {
        return motion_->position(clock(std::clamp(t, 0.0, duration())).time);
    }
    JointVector rate_bound(double from, double to) const override {
        return motion_->rate_bound(
            clock(std::clamp(from, 0.0, duration())).time, clock(std::clamp(to, 0.0, duration())).time);
    }
    std::vector<double> breaks() const override {
        std::vector<double> all{0.0};
        if (up_ && duration() > takes_) all.push_back(takes_);
        for (const double b : motion_->breaks())
            if (const auto t = when(b)) all.push_back(*t);
        all.push_back(duration());
        std::sort(all.begin(), all.end());
        all.erase(std::unique(all.begin(), all.end()), all.end());
        return all;
    }

private:
    struct Clock {
        double time, rate, acceleration;  ///< of the motion
    };
    Clock clock(double t) const {
        const Step s = smooth(t / takes_);
        const double u = std::min(t / takes_, 1.0);
        if (!up_) return {from_ + takes_ * (u - s.sum), 1 - s.value, -s.rate / takes_};
        return {std::min(from_ + takes_ * s.sum + std::max(0.0, t - takes_), std::max(from_, motion_->duration())),
            s.value, s.rate / takes_};
    }
    /// When the motion's clock shows an instant, within (0, duration).
    std::optional<double> when(double time) const {
        double low = 0, high = duration();
        if (clock(low).time >= time || clock(high).time <= time) return std::nullopt;
        for (int i = 0; i < 60; ++i) (clock(0.5 * (low + high)).time < time ? low : high) = 0.5 * (low + high);
        return 0.5 * (low + high);
    }

    MotionPtr motion_;
    double from_, takes_;
    bool up_;
};

/// Whether the stretch on which the clock changes keeps to the limits.
bool within_limits(
    const kinematics::ArmModel& model, const Frame& tool, const Motion& paced, double takes, double most_pull) {
    constexpr double rounding = 1 + 1e-6, h = 1e-4;
    const auto& joints = model.mechanism.joints;
    const auto place = [&](double t) -> Vector3 {
        return (model.flange_frame(paced.position(t)) * tool).translation();
    };
    const double ends = std::min(takes, paced.duration());
    const int fine = std::max(1, static_cast<int>(std::ceil(takes / samples / between_samples)));
    JointVector before;
    for (int i = 0; i <= samples; ++i) {
        const double t = ends * i / samples;
        for (int k = 1; k < fine && i > 0; ++k) {
            const JointVector between = paced.at(t - ends * k / fine / samples).acceleration;
            for (const int at : indices(joints))
                if (std::abs(between[at]) > joints[at].acceleration * rounding) return false;
        }
        const JointState s = paced.at(t);
        for (const int at : indices(joints)) {
            if (std::abs(s.acceleration[at]) > joints[at].acceleration * rounding) return false;
            const double since = takes / samples;
            if (i > 0 && std::abs(s.acceleration[at] - before[at]) > joints[at].jerk_limit() * since * rounding)
                return false;
        }
        before = s.acceleration;
        const double middle = std::clamp(t, h, std::max(h, paced.duration() - h));
        const Vector3 pull = (place(middle + h) - 2 * place(middle) + place(middle - h)) / (h * h);
        if (pull.norm() > most_pull) return false;
    }
    return true;
}

double greatest_pull(const kinematics::ArmModel& model, const Frame& tool, const Motion& motion) {
    return std::max(least_pull, 1.001 * greatest_tool_acceleration(model, tool, motion));
}

/// Not owned: for looking at a motion while it is being planned.
MotionPtr borrowed(const Motion& motion) { return MotionPtr(MotionPtr(), &motion); }

}  // namespace

std::optional<Braking> brake_before(
    const kinematics::ArmModel& model, const Frame& tool, const Motion& motion, double border, double begins_by) {
    const double pull = greatest_pull(model, tool, motion);
    border = std::min(border, motion.duration());
    for (double takes = quickest; takes <= slowest && border - 0.5 * takes >= 0; takes *= next_try) {
        const Braking braking{border - 0.5 * takes, takes};
        if (braking.from > begins_by) continue;
        if (within_limits(model, tool, Paced(borrowed(motion), braking.from, takes, false), takes, pull))
            return braking;
    }
    return std::nullopt;
}

MotionPtr on_clock(MotionPtr motion, double rate) { return std::make_shared<OnClock>(std::move(motion), rate); }

MotionPtr braked(MotionPtr motion, const Braking& braking) {
    return std::make_shared<Paced>(std::move(motion), braking.from, braking.takes, false);
}

double restart_time(const kinematics::ArmModel& model, const Frame& tool, const Motion& motion, double from) {
    const double pull = greatest_pull(model, tool, motion), most = std::max(quickest, 2 * (motion.duration() - from));
    double takes = quickest;
    while (takes < most && !within_limits(model, tool, Paced(borrowed(motion), from, takes, true), takes, pull))
        takes *= next_try;
    return std::min(takes, most);
}

MotionPtr restarted(MotionPtr motion, double from, double takes) {
    return std::make_shared<Paced>(std::move(motion), from, takes, true);
}

}  // namespace escarp::motion
