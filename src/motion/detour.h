#pragma once
// Paths around obstacles: over one point drawn at random, or two random trees that grow toward each other (Kuffner and
// LaValle 2000) and shortcuts (Geraerts and Overmars 2007); then small changes that make the flown way quicker (a (1+1)
// evolution strategy: Rechenberg 1973). Draws are seeded: the same question has the same answer. Lines are checked with
// the same kind of bound as clearances (see clearance.h), so that nothing between two looks is missed.

#include <optional>
#include <vector>

#include "chain.h"
#include "clearance.h"
#include "stopped.h"

namespace escarp::motion {

/// A body that stands still, in the arm's base frame.
struct Obstacle {
    geometry::Convex shape;
    Frame at;
    int first_part_tag =
        0;          ///< parts of the arm with a lower tag need not keep away (its base, from what it stands on)
    int owner = 0;  ///< the caller's: whose body this is
};

class Surroundings {
public:
    explicit Surroundings(std::vector<Obstacle> obstacles);
    const std::vector<Obstacle>& obstacles() const { return obstacles_; }
    const PartSet& set() const { return set_; }

private:
    std::vector<Obstacle> obstacles_;
    PartSet set_;
};

/// An arm with what it carries, among its surroundings.
class Room {
public:
    /// `parts`: see arm_parts; `self_pairs`: pairs of them that must keep apart too.
    Room(const kinematics::Mechanism& mechanism, PartSetPtr parts, const Surroundings& surroundings,
        const std::vector<std::pair<int, int>>& self_pairs);

    /// Least distance of the arm to its surroundings and of its own pairs, no farther than `cap`. Metres.
    double clearance(const JointVector& q, double cap) const;
    /// Whether the straight lines from point to point (at least two) keep at least `need` everywhere (to 0.5 mm). Sets
    /// `blocker()`.
    bool free(const std::vector<JointVector>& points, double need) const;
    bool free(const JointVector& a, const JointVector& b, double need) const {
        return free(std::vector<JointVector>{a, b}, need);
    }
    /// Owner of the obstacle that made the last `free` fail; -1: the arm itself.
    int blocker() const { return blocker_; }
    long long looks() const { return looks_; }  ///< how often the arm was looked at so far

private:
    struct SelfPair {
        int part, other;
        bool carried;  ///< the other moves with the part
        double apart;  ///< how near their middles may be for them to be looked at: their balls' radii
    };
    struct Pair {
        int part, other;  ///< `other`: obstacle, or -1 - number of the pair in `self_pairs_`
    };
    /// A stretch of a line that is still to be looked at, and the pairs that could come too near in it.
    struct Stretch {
        double from, to;  ///< 0 at the first point, 1 at the second, and so on
        std::size_t begin, end;
        bool first;  ///< no pairs chosen yet
    };
    void look(const JointVector& q, const JointVector& by) const;
    const Vector3& place(std::size_t part) const;
    double travel(std::size_t part) const;
    const Frame& frame_at(std::size_t part) const;
    double travel(const SelfPair& pair) const;
    void near_pairs(double within) const;
    double pair_distance(const Pair& pair, double enough) const;
    double closing(const Pair& pair) const;

    const kinematics::Mechanism& mechanism_;
    PartSetPtr parts_;
    const Surroundings& around_;
    std::vector<SelfPair> self_pairs_;
    std::vector<char> counts_;  ///< for each part and obstacle, whether they must keep apart
    // What a question works with, kept so that the next asks for no memory.
    mutable long long looks_ = 0;
    mutable JointVector by_;
    mutable std::vector<Frame> frames_, at_;
    mutable std::vector<Vector3> centre_;
    mutable std::vector<double> travel_, gap2_;
    mutable std::vector<long long> placed_, bounded_, framed_;
    mutable std::vector<geometry::Warm> warm_;
    mutable std::vector<Pair> active_;
    mutable std::vector<Stretch> stretches_;
    mutable int blocker_ = -1;
};

struct DetourRequest {
    const kinematics::ArmModel& model;
    const Frame& tool;  ///< tool frame in the flange
    const Room& room;
    JointVector from, to;
    double need = 0.02;  ///< distance to keep, m; less where the ends themselves are nearer
    double speed = 1, acceleration = 1;
    long long most_looks = 250'000;  ///< of the arm at a posture, in each of its searches, before giving up
    int effort = 3000;  ///< how many times a tree may grow before giving up; 0: only the direct move is looked at
    unsigned seed = 20;
    const StopFlag* stop = nullptr;
};

struct Detour {
    MotionPtr motion;              ///< null: none found
    std::vector<JointVector> way;  ///< its corner points, ends included
    bool direct = false;           ///< nothing stood in the way
    int blocker = -1;              ///< owner of what stood in the way most often; -1: the arm itself
    long long looks = 0;           ///< what it took
};

/// The direct joint move where that is free, else a way round. Throws Cancelled.
Detour find_way(const DetourRequest& request);

}  // namespace escarp::motion
