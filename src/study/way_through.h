#pragma once
// How a mover goes through space that it has to ask for: in which motions it goes in and out, and which visits that
// makes.

#include <map>
#include <set>

#include <inspection/zones.h>

#include "figures.h"

namespace escarp::study {

class WayThrough {
public:
    /// `visits`: when the mover (a device) is inside, in order, as far as the run is looked at. Lives no longer than
    /// the evaluation.
    WayThrough(
        const Evaluation& e, int device, const std::vector<inspection::ZoneVisit>& visits, simulation::Ticks until);

    /// Where it asks and gives back, as rows of a device's table that begin with the keys of `whose`; with the visits
    /// that begin there if asked for.
    void add_points(const cell::json& whose, bool with_visits, cell::json& points) const;

    /// A visit lasts from where it asks to where it gives back. Those that begin at one place are one, and so are those
    /// of which one leads past where another would ask.
    struct Visits {
        std::map<std::pair<std::size_t, std::size_t>, int> begin;  ///< at a leg and stretch of it: number from 1
        std::map<int, std::set<int>> steps;                        ///< numbers of the steps that each takes
        int number(std::size_t leg, std::size_t stretch) const {
            const auto found = begin.find({leg, stretch});
            return found == begin.end() ? 1 : found->second;
        }
    };
    Visits visits() const;

private:
    /// The motions of one kind of one step: where in them, as shares of their time, a mover is inside, whichever of
    /// them it is.
    struct Leg {
        std::string step, during;
        int number;                                     ///< of the step; -1: of what is no arm
        int place;                                      ///< of what is no arm: that it goes to, from 1
        std::vector<std::pair<double, double>> inside;  ///< apart, in order
        bool begins_outside = false;                    ///< some of them do
        bool inside_at(double share) const;
        bool asks(std::size_t stretch) const { return inside[stretch].first > 0 || begins_outside; }
    };
    int leg_of(const simulation::MotionRecord& motion);
    int leg(const Leg& wanted);
    int place_after(const simulation::MotionRecord& motion) const;
    static void add(Leg& leg, const std::vector<inspection::ZoneVisit>& visits, const simulation::MotionRecord& motion,
        simulation::Ticks to);

    const Evaluation& e_;
    const int device_;
    std::vector<Leg> legs_;
    std::vector<int> way_;                   ///< the legs as they come one after the other
    std::set<std::pair<int, int>> follows_;  ///< legs that come one after the other
};

}  // namespace escarp::study
