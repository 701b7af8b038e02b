#pragma once
// The tables of keys of everything in a cell file that is not a kind's own: the cell's settings, part types, tools,
// arm models, meshes, poses, what every device and every step has. Kinds bring theirs; see device_kind.h, step_kind.h.

#include "field.h"

namespace escarp::cell {

const Fields& cell_fields();
const Fields& exclusion_fields();
const Fields& cost_fields();
const Fields& block_fields();
const Fields& variant_fields();
const Fields& view_fields();
const Fields& underlay_fields();
const Fields& outside_link_fields();
const Fields& link_name_fields();   ///< of what is called otherwise at the other end of a link
const Fields& calibrated_fields();  ///< what an arm's limits were fitted to

const Fields& part_type_fields();
const Fields& carrier_fields();
const Fields& grip_fields();
const Fields& tool_model_fields();
const Fields& frame_fields();  ///< "at_mm", "turn_deg"

const Fields& mesh_fields();
const Fields& mesh_link_fields();

const Fields& arm_model_fields();
const Fields& link_fields();
const Fields& joint_fields();
const Fields& leader_fields();
const Fields& flange_fields();
const Fields& unfinished_model_fields();

const Fields& device_fields();  ///< what every device has
const Fields& placement_fields();
const Fields& input_fields();
const Fields& own_number_fields();
const Fields& io_fields();
const Fields& side_task_fields();
/// What an arm has besides.
const Fields& arm_device_fields();
const Fields& more_tool_fields();
const Fields& travel_fields();
const Fields& pose_fields();

const Fields& step_fields();  ///< what every step has

/// A shape that a body can have, with its own keys.
struct BodyShape {
    std::string word, label;
    Fields fields;
};
const std::vector<BodyShape>& body_shapes();
const Fields& body_fields();  ///< what every body has
/// Null: there is none of this word.
const BodyShape* find_shape(const std::string& word);

}  // namespace escarp::cell
