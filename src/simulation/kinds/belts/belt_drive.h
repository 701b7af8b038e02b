#pragma once
// How far a belt has run at any instant, as time of travel at its nominal speed. Where it runs at just that speed all
// is in whole nanoseconds.

#include <cmath>

#include <simulation/trace.h>

namespace escarp::simulation {

class BeltDrive {
public:
    /// `gain`: by which share of the nominal speed it gets faster or slower per second; 0: at once.
    explicit BeltDrive(double gain) : gain_(gain) {}

    Ticks progress(Ticks now) const { return way_ + share_of_way(now); }
    /// The instant at which it will have run so far, as it runs now; `never`.
    Ticks when(Ticks progress) const {
        Ticks more = progress - way_;
        if (more <= 0) return base_;
        Ticks from = base_;
        if (ramp_ != 0) {
            const Ticks in_ramp = run_for(until_ - base_);
            if (more <= in_ramp) {
                const double t = motion::Glide{.share = share_, .ramp = ramp_}.when(static_cast<double>(more) * 1e-9);
                return std::min(until_, base_ + ticks(t));
            }
            more -= in_ramp;
            from = until_;
        }
        if (wanted_ == 1) return from + more;
        return wanted_ > 0 ? from + static_cast<Ticks>(std::ceil(static_cast<double>(more) / wanted_)) : never;
    }
    double share(Ticks now) const {
        return ramp_ == 0 || now >= until_ ? wanted_ : share_ + ramp_ * seconds(now - base_);
    }
    double ramp(Ticks now) const { return now < until_ ? ramp_ : 0; }
    bool moves(Ticks now) const { return share(now) > 0 || ramp(now) != 0; }
    double wanted() const { return wanted_; }
    Ticks ramp_end() const { return ramp_ == 0 ? never : until_; }

    /// From now on to this share of the nominal speed; false where it is so already.
    bool set(Ticks now, double share) {
        if (share == wanted_ && (ramp_ == 0 || now < until_)) return false;
        const Ticks way = progress(now);
        share_ = this->share(now);
        base_ = now, way_ = way, wanted_ = share;
        ramp_ = 0, until_ = 0;
        if (gain_ > 0 && share_ != wanted_) {
            until_ = now + ticks(std::abs(wanted_ - share_) / gain_);
            ramp_ = (wanted_ - share_) / seconds(until_ - now);
        } else {
            share_ = wanted_;
        }
        return true;
    }
    /// It has run so much farther than was worked out: what rounding left of a way.
    void correct(Ticks more) { way_ += more; }
    /// How far it runs on until it stands, if it begins to stop now from this share.
    double way_to_stand(double share) const { return gain_ > 0 ? 0.5 * share * share / gain_ : 0; }
    double gain() const { return gain_; }

private:
    Ticks run_for(Ticks dt) const {
        if (ramp_ == 0 && wanted_ == 1) return dt;
        const double t = static_cast<double>(dt);
        return std::llround(ramp_ == 0 ? wanted_ * t : (share_ + 0.5 * ramp_ * t * 1e-9) * t);
    }
    Ticks share_of_way(Ticks now) const {
        if (ramp_ == 0 || now <= until_) return run_for(now - base_);
        const Ticks after = now - until_;
        return run_for(until_ - base_) + (wanted_ == 1 ? after : std::llround(wanted_ * static_cast<double>(after)));
    }

    double gain_;
    Ticks base_ = 0, way_ = 0, until_ = 0;  ///< an instant, how far it had run then, and when its ramp ends
    double share_ = 0, wanted_ = 0, ramp_ = 0;
};

}  // namespace escarp::simulation
