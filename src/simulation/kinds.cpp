#include "kinds.h"

#include "step.h"

namespace escarp::simulation {

void add_standard_kinds(cell::Kinds& all) {
    all.add(arm_kind());
    all.add(conveyor_kind());
    all.add(infeed_kind());
    all.add(outfeed_kind());
    all.add(fixture_kind());
    all.add(beam_kind());
    all.add(stop_kind());
    all.add(divert_kind());
    all.add(zone_sensor_kind());
    all.add(distance_sensor_kind());
    all.add(camera_kind());
    all.add(tray_kind());
    all.add(lift_kind());
    all.add(turntable_kind());
    all.add(door_kind());
    all.add(clamp_kind());
    all.add(interlock_kind());
    all.add(watched_volume_kind());
    all.add(structure_kind());
    all.add(fence_kind());
    all.add(light_curtain_kind());
    all.add(solid_kind());
    all.add(marking_kind());
    all.add(pick_step());
    all.add(place_step());
    all.add(wait_step());
    all.add(set_step());
    all.add(move_step());
    all.add(delay_step());
    all.add(if_step());
    all.add(repeat_step());
    all.add(gripper_step());
    all.add(act_step());
    all.add(use_step());
    all.add(block_step());
    all.add(number_step());
    all.add(add_step());
    all.add(if_type_step());
    all.add(if_condition_step());
    all.add(while_step());
    all.add(every_seat_step());
    all.add(start_task_step());
    all.add(end_task_step());
    all.add(join_step());
}

const cell::Kinds& standard_kinds() {
    static const cell::Kinds kinds = [] {
        cell::Kinds all;
        add_standard_kinds(all);
        return all;
    }();
    return kinds;
}

}  // namespace escarp::simulation
