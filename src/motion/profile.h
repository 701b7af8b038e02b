#pragma once
// Rest-to-rest profiles of a path position from 0 to 1, closed in time (docs/model.md, "Joint move").

#include <array>
#include <vector>

namespace escarp::motion {

/// Path position, rate (1/s) and acceleration (1/s^2) at an instant.
struct PathState {
    double s, rate, acceleration;
};

class Profile {
public:
    /// Time-optimal under rate `v`, acceleration `a` and, unless 0, jerk `j` (all per unit of path, positive).
    /// Without jerk: T = 1/v + v/a if v^2 <= a, else 2 sqrt(1/a). With jerk: the seven-phase profile.
    Profile(double v, double a, double j);
    Profile() = default;  ///< stands still for no time

    double duration() const { return start_[7]; }
    PathState at(double t) const;
    /// Greatest rate between two instants, exact.
    double greatest_rate(double from, double to) const;
    /// Greatest absolute acceleration, of all and between two instants, exact.
    double greatest_acceleration() const { return greatest_acceleration(0, duration()); }
    double greatest_acceleration(double from, double to) const;
    /// Stretches of constant jerk, seven or fewer that last.
    struct Piece {
        double t, s, rate, acceleration, jerk;
    };
    std::vector<Piece> pieces() const;

private:
    void add(double length, double jerk);

    int phases_ = 0;
    std::array<double, 8> start_{};  // start_[7] is the end
    std::array<double, 8> s_{}, v_{}, a_{}, j_{};
};

}  // namespace escarp::motion
