#include "arm_parts.h"

#include <cell/text/content_key.h>
#include <geometry/indices.h>

namespace escarp::simulation {
namespace {

motion::Part on_link(const cell::Arm& arm, int link, const geometry::Body& body, const geometry::Frame& at, int tag) {
    const geometry::Frame placed = at * body.at;
    return {link, body.shape, placed,
        kinematics::lever_bounds(arm.model->mechanism, link, placed * body.shape.centre(), body.shape.bound()), tag};
}

}  // namespace

std::vector<motion::Part> held_parts(
    const cell::Arm& arm, const geometry::Bodies& bodies, const geometry::Frame& in_tool) {
    std::vector<motion::Part> parts;
    for (const geometry::Body& b : bodies)
        parts.push_back(
            on_link(arm, arm.model->flange_link, b, arm.model->flange * arm.tool_frame * in_tool, held_tag));
    return parts;
}

std::vector<motion::Part> arm_parts(const cell::Arm& arm) {
    std::vector<motion::Part> parts;
    const auto& links = arm.model->mechanism.links;
    for (const int link : indices(links))
        for (const geometry::Body& b : links[link].bodies)
            parts.push_back(on_link(arm, link, b, geometry::Frame::Identity(), link));
    for (const geometry::Body& b : arm.tool_bodies)
        parts.push_back(on_link(arm, arm.model->flange_link, b, arm.model->flange, tool_tag));
    return parts;
}

std::uint64_t mover_key(const cell::Device& device) {
    const cell::Arm& arm = *device.mover();
    cell::ContentKey key;
    key.add(arm.model_key).add(device.world);
    for (const kinematics::Link& l : arm.model->mechanism.links) cell::add_bodies(key, l.bodies);
    cell::add_bodies(key, arm.tool_bodies);
    return key.value();
}

int link_of(const cell::Arm& arm, const motion::Part& part) {
    return part.tag >= tool_tag ? arm.model->flange_link : part.tag;
}

bool keep_apart(const cell::Arm& arm, const motion::Part& one, const motion::Part& other) {
    const int flange = arm.model->flange_link;
    if (one.tag == held_tag || other.tag == held_tag) {
        const int tag = one.tag == held_tag ? other.tag : one.tag;
        return tag < tool_tag && (tag != flange || !arm.tool_bodies.empty());
    }
    return std::abs(link_of(arm, one) - link_of(arm, other)) >= 3;
}

using geometry::Frame;
using geometry::Vector3;

std::vector<char> standing_ground(const cell::Cell& cell, int arm, int device) {
    constexpr double below = 1e-3, deep = 10.0;
    std::vector<char> ground;
    if (!cell.stands_on(arm, device)) return ground;
    const cell::Device &stands = cell.devices[arm], &host = cell.devices[device];
    const Frame seen = stands.world.inverse() * host.world;
    const geometry::Convex under = geometry::Convex::segment(Vector3::Zero(), {0, 0, -deep});
    for (const geometry::Body& b : host.bodies)
        ground.push_back(geometry::bounds(b.shape, seen * b.at).high.z() <= below ||
                         geometry::separation(b.shape, seen * b.at, under, Frame::Identity()).distance <= below);
    return ground;
}

}  // namespace escarp::simulation
