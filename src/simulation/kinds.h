#pragma once
// The kinds of device and of step. A new one is a file in kinds/ or steps/ and a line in `standard_kinds`.

#include <cell/read/layout.h>

#include "kernel.h"

namespace escarp::simulation {

std::unique_ptr<Kind> arm_kind();
std::unique_ptr<Kind> conveyor_kind();
std::unique_ptr<Kind> infeed_kind();
std::unique_ptr<Kind> outfeed_kind();
std::unique_ptr<Kind> fixture_kind();
std::unique_ptr<Kind> beam_kind();
std::unique_ptr<Kind> light_curtain_kind();
std::unique_ptr<Kind> zone_sensor_kind();
std::unique_ptr<Kind> watched_volume_kind();
std::unique_ptr<Kind> distance_sensor_kind();
std::unique_ptr<Kind> camera_kind();
std::unique_ptr<Kind> structure_kind();
std::unique_ptr<Kind> fence_kind();
std::unique_ptr<Kind> tray_kind();
std::unique_ptr<Kind> solid_kind();
std::unique_ptr<Kind> marking_kind();
std::unique_ptr<Kind> stop_kind();
std::unique_ptr<Kind> divert_kind();
std::unique_ptr<Kind> turntable_kind();
std::unique_ptr<Kind> lift_kind();
std::unique_ptr<Kind> clamp_kind();
std::unique_ptr<Kind> door_kind();
std::unique_ptr<Kind> interlock_kind();

class StepKind;
std::unique_ptr<StepKind> pick_step();
std::unique_ptr<StepKind> place_step();
std::unique_ptr<StepKind> wait_step();
std::unique_ptr<StepKind> set_step();
std::unique_ptr<StepKind> move_step();
std::unique_ptr<StepKind> delay_step();
std::unique_ptr<StepKind> if_step();
std::unique_ptr<StepKind> repeat_step();
std::unique_ptr<StepKind> gripper_step();
std::unique_ptr<StepKind> act_step();
std::unique_ptr<StepKind> use_step();
std::unique_ptr<StepKind> block_step();
std::unique_ptr<StepKind> number_step();
std::unique_ptr<StepKind> add_step();
std::unique_ptr<StepKind> if_type_step();
std::unique_ptr<StepKind> if_condition_step();
std::unique_ptr<StepKind> while_step();
std::unique_ptr<StepKind> every_seat_step();
std::unique_ptr<StepKind> start_task_step();
std::unique_ptr<StepKind> end_task_step();
std::unique_ptr<StepKind> join_step();

void add_standard_kinds(cell::Kinds& kinds);
const cell::Kinds& standard_kinds();
/// A variant of a document, to be read with them.
inline cell::Layout layout(cell::Document document, std::string variant) {
    return {std::move(document), std::move(variant), standard_kinds()};
}

}  // namespace escarp::simulation
