#pragma once
// Taught joint values of an arm device (its ready posture, its poses) when the arm under them changes.

#include <map>

#include <cell/document/edit.h>

#include "read_model.h"

namespace escarp::cell {

/// Rounded as joint values and places stand in the file.
double tidy(double value);

struct Carried {
    const kinematics::ArmModel &before, &after;  ///< without travel axis
    enum class Travel { none, keeps, gets, loses } travel = Travel::none;
    double travel_mm = 0;                       ///< value of a travel axis that is new
    std::map<std::string, double> shifts = {};  ///< what to take off joints' values, by their names; rad, m
};
/// Joints are known again by their names; a new one has its value of the ready posture.
void carry_joint_lists(const json& device, const std::string& path, const Carried& carried, Operations& out);

}  // namespace escarp::cell
