#pragma once
// A check: one file in checks/ and one line in `standard_checks`.

#include <cell/text/numbers.h>

#include "inspect.h"

namespace escarp::inspection {

struct Context {
    const cell::Cell& cell;
    const simulation::Run& run;
    Cache& cache;
    const StopFlag* stop;

    const cell::Device& device(int index) const { return cell.devices[index]; }
    void throw_if_stopped() const { motion::throw_if_stopped(stop); }
};

using Check = void (*)(const Context& context, Inspection& result);

void reach_check(const Context&, Inspection&);
void clearance_check(const Context&, Inspection&);
void flow_check(const Context&, Inspection&);
void sensor_check(const Context&, Inspection&);
void belt_check(const Context&, Inspection&);
void passing_check(const Context&, Inspection&);
void sight_check(const Context&, Inspection&);
void load_check(const Context&, Inspection&);
void way_check(const Context&, Inspection&);
void straight_check(const Context&, Inspection&);
void unknown_keys_check(const Context&, Inspection&);
void keep_out_check(const Context&, Inspection&);
void names_check(const Context&, Inspection&);
void grips_check(const Context&, Inspection&);

struct StandardCheck {
    Check check;
    Level level;  ///< from which on it is made
};
/// In the order in which they run; later ones may use what earlier ones found.
inline constexpr StandardCheck standard_checks[] = {{reach_check, Level::reach}, {clearance_check, Level::clearance},
    {flow_check, Level::flow}, {sensor_check, Level::flow}, {belt_check, Level::flow}, {passing_check, Level::flow},
    {sight_check, Level::flow}, {load_check, Level::flow}, {way_check, Level::reach}, {straight_check, Level::reach},
    {unknown_keys_check, Level::flow}, {keep_out_check, Level::flow}, {names_check, Level::flow}, {grips_check, Level::flow}};

/// Whether every pose is still reached when a device (and all that stands on it) is shifted over the floor, m.
bool reached_after(const Context&, const std::vector<PoseNeed>& poses, int device, const Vector3& shift);
/// Moving a device's movable root by a shift; its effect is left to the caller.
WayOut way_of_shift(const Context&, int device, const Vector3& shift);
/// What would let a straight move to a pose be made that cannot be followed.
std::vector<WayOut> straight_remedies(
    const Context&, const std::vector<PoseNeed>& poses, const simulation::Fault& fault);

/// "84" from metres.
std::string millimetres(double metres);
/// "1.5°" or "27 mm": a part of a joint's range, from rad or m.
std::string joint_amount(const kinematics::Joint& joint, double value);
/// Two decimals and no more.
inline std::string short_number(double value, int decimals = 2) { return cell::fixed(value, decimals); }

}  // namespace escarp::inspection
