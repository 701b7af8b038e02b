#include "arm_parts.h"

namespace escarp::simulation {
namespace {

motion::Part on_link(const cell::Arm& arm, int link, const geometry::Body& body, const geometry::Frame& at, int tag) {
    const geometry::Frame placed = at * body.at;
    return {link, body.shape, placed, kinematics::lever_bounds(arm.model->mechanism, link, placed * body.shape.centre(), body.shape.bound()), tag};
}

}  // namespace

std::vector<motion::Part> held_parts(const cell::Arm& arm, const cell::PartType& type, const geometry::Frame& in_tool) {
    std::vector<motion::Part> parts;
    for (const geometry::Body& b : type.bodies)
        parts.push_back(on_link(arm, arm.model->flange_link, b, arm.model->flange * arm.tool_frame * in_tool, held_tag));
    return parts;
}

std::vector<motion::Part> arm_parts(const cell::Arm& arm) {
    std::vector<motion::Part> parts;
    const auto& links = arm.model->mechanism.links;
    for (std::size_t link = 0; link < links.size(); ++link)
        for (const geometry::Body& b : links[link].bodies) parts.push_back(on_link(arm, static_cast<int>(link), b, geometry::Frame::Identity(), static_cast<int>(link)));
    for (const geometry::Body& b : arm.tool_bodies) parts.push_back(on_link(arm, arm.model->flange_link, b, arm.model->flange, tool_tag));
    return parts;
}

}  // namespace escarp::simulation
