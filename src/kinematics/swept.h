#pragma once
// Arms with one free joint: a closed form at each of its values.

#include "joint_solver.h"

namespace escarp::kinematics {

/// Asks at the reference's value first, then at steps over the joint's range.
class Swept : public JointSolver {
public:
    void solve(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const final;
    void held(const Frame& target, const JointVector& reference, std::vector<JointSolution>& out) const final;
    bool reachable(const Frame& target, const JointVector& reference) const final;
    bool closed_form() const override { return true; }

protected:
    Swept(const Mechanism& mechanism, int joint) : mechanism_(mechanism), joint_(joint) {}
    /// Adds the solutions with the free joint at `value`; other free joints keep the reference's values when `hold`.
    virtual void at(const Frame& target, const JointVector& reference, double value, bool hold,
        std::vector<JointSolution>& out) const = 0;
    virtual bool reachable_at(const Frame& target, const JointVector& reference, double value) const;
    /// Whether a value is worth asking for.
    virtual bool promising(const Frame& /*target*/, double /*value*/) const { return true; }

    const Mechanism mechanism_;
    const int joint_;

private:
    static constexpr int steps = 32;
    double step_value(int i) const;
};

}  // namespace escarp::kinematics
