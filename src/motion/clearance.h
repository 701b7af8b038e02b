#pragma once
// Least distance of moving bodies over continuous time. A body carried by joints moves no faster than the sum of joint
// rate times lever (see kinematics::travel_bound), so its distance to another is Lipschitz over any stretch of time;
// branch and bound on that (Piyavskii 1972, Shubert 1972) finds the global least distance, and nothing between two
// instants can be missed. Where that is not enough to drop a pair, what its bodies do along the line between their
// nearest points counts: beside its least value a distance changes by the square of the time alone.

#include <atomic>
#include <cstdint>
#include <functional>
#include <memory>
#include <vector>

#include <geometry/distance.h>

#include "glide.h"
#include "motion.h"

namespace escarp::motion {

/// One convex body of a mover: rigidly fixed to one of the mover's frames.
struct Part {
    int frame = 0;
    geometry::Convex shape;
    Frame at = Frame::Identity();  ///< in that frame
    JointVector levers;            ///< see lever_bounds; empty for bodies that joints do not move
    int tag = 0;                   ///< the caller's: which body this is
};

/// Parts with what bounds need of them, worked out once; movers share it.
class PartSet {
public:
    explicit PartSet(std::vector<Part> parts);
    PartSet(const PartSet&) = delete;
    PartSet& operator=(const PartSet&) = delete;
    std::uint64_t serial() const { return serial_; }  ///< no other one ever has the same
    const std::vector<Part>& parts() const { return parts_; }
    const Vector3& centre(std::size_t i) const {
        return centre_[i];
    }                                                        ///< of a part's ball, in the frame that carries it
    double bound(std::size_t i) const { return bound_[i]; }  ///< radius of that ball
    int frame(std::size_t i) const { return frame_[i]; }
    /// Neighbours in the list that one frame carries.
    struct Run {
        int frame;
        std::size_t from, to;
    };
    const std::vector<Run>& runs() const { return runs_; }
    int frames() const { return frames_; }  ///< one more than the last frame that carries a part
    /// Squared distances of a point, in the frame that carries the parts [from, to), to their boxes along its axes.
    void box_gaps(std::size_t from, std::size_t to, const Vector3& point, double* out) const;

private:
    std::vector<Part> parts_;
    std::vector<Vector3> centre_;
    std::vector<double> bound_, low_[3], high_[3];
    std::vector<int> frame_;
    std::vector<Run> runs_;
    int frames_ = 0;
    const std::uint64_t serial_;
    static inline std::atomic<std::uint64_t> made_{0};
};
using PartSetPtr = std::shared_ptr<const PartSet>;
inline PartSetPtr part_set(std::vector<Part> parts) { return std::make_shared<const PartSet>(std::move(parts)); }

/// Bodies that move together as a function of time.
class Mover {
public:
    virtual ~Mover() = default;
    const PartSet& set() const { return *set_; }
    const std::vector<Part>& parts() const { return set_->parts(); }
    virtual void frames(double t, std::vector<Frame>& out) const = 0;
    /// The frames in the middle of a stretch of time, and what bounds the ways from there to either end of it.
    struct Look {
        std::vector<Frame> frames;
        double half = 0;         ///< seconds from the middle to an end
        JointVector by;          ///< how far each joint can get in that time
        JointVector rate, bend;  ///< in the middle, and how far a joint gets from where that rate would bring it
        bool close = false;      ///< the last two are there, see look_closer
    };
    virtual void look(double from, double to, Look& out) const = 0;
    /// How far any point of a part gets at most from the middle of a look to either of its ends, m. `centre`: of the
    /// part's ball there.
    virtual double travel(const Look& look, std::size_t part, const Vector3& centre) const = 0;
    /// How a ball goes that is fixed to the frame of a part, after `look_closer`: its centre straight by `straight` (m)
    /// until the end of the look, and by its opposite until the beginning; a point of it besides by `turning` times
    /// where it stands off the centre, and by no more than `rest`, m.
    struct Straight {
        Vector3 straight = Vector3::Zero(), turning = Vector3::Zero();
        double rest = 0;
    };
    virtual Straight course(const Look& look, std::size_t part, const Vector3&, double) const {
        const Vector3 centre = look.frames[set_->frame(part)] * set_->centre(part);
        return {Vector3::Zero(), Vector3::Zero(), travel(look, part, centre)};
    }
    /// How far a part gets at most, seen from another of this mover's parts, m.
    virtual double travel_seen_from(const Look& look, std::size_t part, const Vector3& centre, std::size_t other,
        const Vector3& other_centre) const {
        return travel(look, part, centre) + travel(look, other, other_centre);
    }
    /// What `drift` and `course` need, once it is needed.
    virtual void look_closer(double, double, Look&) const {}
    /// The same along one direction, see kinematics::drift_bound. `point`: of the part. `straight` and `turning` come
    /// for the time of the look, m and without unit.
    virtual kinematics::Drift drift(
        const Look& look, std::size_t part, const Vector3& centre, const Vector3&, const Vector3&) const {
        return {0, Vector3::Zero(), travel(look, part, centre)};
    }
    virtual bool rests() const { return false; }  ///< never moves
    /// The same for movers that do the same with the same parts; 0: nobody asks about this one twice.
    virtual std::uint64_t identity() const { return 0; }

protected:
    explicit Mover(PartSetPtr set) : set_(std::move(set)) {}
    PartSetPtr set_;
};

/// An arm on its base, moved by a motion that starts at `start`; parts stand in link frames.
class ArmMover final : public Mover {
public:
    ArmMover(
        const kinematics::Mechanism& mechanism, const Frame& base, MotionPtr motion, double start, PartSetPtr parts);
    void frames(double t, std::vector<Frame>& out) const override;
    void look(double from, double to, Look& out) const override;
    double travel(const Look& look, std::size_t part, const Vector3& centre) const override;
    Straight course(const Look& look, std::size_t part, const Vector3& centre, double radius) const override;
    double travel_seen_from(const Look& look, std::size_t part, const Vector3& centre, std::size_t other,
        const Vector3& other_centre) const override;
    void look_closer(double from, double to, Look& out) const override;
    std::uint64_t identity() const override { return identity_; }
    kinematics::Drift drift(const Look& look, std::size_t part, const Vector3& centre, const Vector3& point,
        const Vector3& along) const override;

private:
    const kinematics::Mechanism& mechanism_;
    Frame base_;
    static std::uint64_t identity_of(const Frame& base, const Motion& motion, double start, const PartSet& parts);

    MotionPtr motion_;
    double start_;
    std::uint64_t identity_;
};

/// Bodies that stand still, or ride along a line or an arc from `start` on.
class GlideMover final : public Mover {
public:
    GlideMover(const Frame& at, PartSetPtr parts, const Glide& glide = {}, double start = 0);
    bool rests() const override { return glide_.rests(); }
    void frames(double t, std::vector<Frame>& out) const override;
    void look(double from, double to, Look& out) const override;
    double travel(const Look& look, std::size_t part, const Vector3& centre) const override;
    kinematics::Drift drift(const Look& look, std::size_t part, const Vector3& centre, const Vector3& point,
        const Vector3& along) const override;

private:
    Frame at_;
    Glide glide_;
    double start_;
    std::vector<double> speeds_;  ///< of the fastest point of each part
};

struct Clearance {
    double distance = 1e300;  ///< metres; 0: they touch or overlap
    double when = 0;          ///< seconds, in the time of the query
    int part_a = -1, part_b = -1;
    Vector3 on_a = Vector3::Zero(), on_b = Vector3::Zero();  ///< closest points in the world; equal where they touch
};

struct ClearanceQuery {
    double from = 0, to = 0;
    double cap = 1e300;         ///< distances above this need not be found: the result is then above it
    double tolerance = 2.5e-4;  ///< metres
    /// Which pairs of parts are looked at; all of them if not given. Asked only about pairs that could come near.
    std::function<bool(const Part& a, const Part& b)> take = nullptr;
    /// How deep a pair may overlap, metres; not at all if not given. It is added to the distance, which is negative
    /// where they overlap: 0 then means that they overlap deeper than they may.
    std::function<double(const Part& a, const Part& b)> sink = nullptr;
};

/// Where the least distance recurs, the earliest instant at which it was looked at is given; of a contact see
/// `first_contact`.
Clearance least_clearance(const Mover& a, const Mover& b, const ClearanceQuery& query);
/// The same among the bodies of one mover, each pair once.
Clearance least_self_clearance(const Mover& mover, const ClearanceQuery& query);

/// The first instant of the query, to a microsecond, at which a pair touches (or overlaps deeper than it may), and
/// where; no part where none does. Contacts shorter than a microsecond may be passed over. `cap` and `tolerance` play
/// no part.
Clearance first_contact(const Mover& a, const Mover& b, const ClearanceQuery& query);
Clearance first_self_contact(const Mover& mover, const ClearanceQuery& query);

/// The stretches of [from, to] in which any part of `a` touches any part of `b`. No contact is missed; an interruption
/// of one shorter than `resolution` seconds may be. Ends are exact to a microsecond.
std::vector<std::pair<double, double>> contact_times(
    const Mover& a, const Mover& b, double from, double to, double resolution = 1e-3);

}  // namespace escarp::motion
