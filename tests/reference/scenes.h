#pragma once
// Made-up scenes in which the direct joint move is not free.

#include <simulation/plan.h>

#include "support/cells.h"

namespace escarp::tests {

struct Scene {
    std::string name;
    std::shared_ptr<const cell::Cell> cell;
    const cell::Arm* arm;
    simulation::ArmRoom room;
    kinematics::JointVector from, to;
};

inline json block(const std::string& id, double x, double y, double z, double l, double w, double h) {
    return {{"id", id}, {"name", id}, {"kind", "solid"}, {"placement", {{"x_mm", x}, {"y_mm", y}, {"z_mm", z}}},
        {"bodies", {{{"shape", "box"}, {"size_mm", {l, w, h}}}}}};
}

/// The arm at the origin among `things`, from one tool-down pose to another (mm in the world; the third value may be
/// over or in something). `tilt`: the tool's lean from straight down at both ends, degrees.
inline Scene scene(const std::string& name, const char* model, json things, geometry::Vector3 from,
    geometry::Vector3 to, double tilt = 0) {
    json tree = {{"escarp", 1}, {"safety_distance_mm", 15}, {"arm_models", cell::catalogue_arms()},
        {"tool_models", cell::catalogue_tools()}, {"devices", json::array()}};
    tree["devices"].push_back({{"id", "arm"}, {"name", "Arm"}, {"kind", "arm"}, {"model", model}, {"tool", "jaw60"}});
    for (json& thing : things) tree["devices"].push_back(std::move(thing));
    Scene s;
    s.name = name;
    s.cell = read(tree);
    s.arm = &*s.cell->devices.front().arm;
    s.room = simulation::room_of(*s.cell, 0, {});
    const auto posture = [&](const geometry::Vector3& mm) {
        const motion::Room room(s.arm->model->mechanism, s.room.parts, *s.room.around, s.room.self_pairs);
        const double round = std::atan2(mm.y(), mm.x());
        for (const double lean : {tilt, 0.0, 20.0, 40.0, 60.0, 80.0}) {
            geometry::Frame tool = geometry::Frame::Identity();
            tool.translation() = 1e-3 * mm;
            tool.linear() = geometry::rotation(geometry::Vector3::UnitZ(), round) *
                            geometry::rotation(geometry::Vector3::UnitY(), geometry::pi - lean * geometry::pi / 180);
            std::vector<kinematics::JointSolution> all;
            s.arm->solver->solve(tool * s.arm->tool_frame.inverse(), s.arm->ready, all);
            const kinematics::JointSolution* best = nullptr;
            double least = 1e300;
            for (const auto& one : all) {
                const double far = (one.q - s.arm->ready).norm();
                if (one.within_limits && room.clearance(one.q, 0.005) >= 0.005 && far < least) least = far, best = &one;
            }
            if (best) return best->q;
        }
        throw std::runtime_error("no free posture in scene " + name);
    };
    s.from = posture(from), s.to = posture(to);
    return s;
}

inline std::vector<Scene> scenes() {
    const auto shelf = [](double x, double y, double gap) {
        return json::array({block("floor_board", x, y, 250, 400, 500, 20),
            block("upper_board", x, y, 250 + gap, 400, 500, 20), block("back", x + 190, y, 250, 20, 500, gap)});
    };
    const auto slot = [](double x, double gap) {
        return json::array({block("left_panel", x, 0.5 * (gap + 900), 0, 30, 900, 1200),
            block("right_panel", x, -0.5 * (gap + 900), 0, 30, 900, 1200)});
    };
    const auto between = [](double width) {
        return json::array({block("fixture_one", 480, 0.5 * (width + 160), 0, 260, 160, 620),
            block("fixture_two", 480, -0.5 * (width + 160), 0, 260, 160, 620)});
    };
    const auto bin = [](double x, double y) {
        return json::array({block("bin_floor", x, y, 0, 340, 340, 15), block("bin_near", x - 165, y, 0, 12, 340, 330),
            block("bin_far", x + 165, y, 0, 12, 340, 330), block("bin_left", x, y + 165, 0, 340, 12, 330),
            block("bin_right", x, y - 165, 0, 340, 12, 330)});
    };
    const auto neighbour = [](double x, double y) {
        return json::array(
            {block("other_column", x, y, 0, 220, 220, 900), block("other_arm", x - 150, y, 700, 420, 160, 160)});
    };
    const auto wall = [](double y, double h) { return json::array({block("wall", 560, y, 0, 560, 30, h)}); };
    std::vector<Scene> all;
    all.push_back(scene("shelf to the side", "six900", shelf(560, 100, 420), {480, 60, 420}, {150, 480, 300}, 50));
    all.push_back(scene("shelf to above", "six900", shelf(560, 0, 420), {470, -60, 420}, {420, 60, 820}, 50));
    all.push_back(scene("shelf from behind", "six900", shelf(540, -150, 400), {480, -60, 420}, {60, -480, 320}, 50));
    all.push_back(scene("tight shelf", "six900", shelf(560, 120, 370), {490, 30, 410}, {250, 480, 420}, 60));
    all.push_back(scene("fence slot outward", "six1400", slot(600, 620), {820, 0, 500}, {300, 620, 500}, 60));
    all.push_back(scene("fence slot across", "six1400", slot(600, 620), {820, 60, 600}, {250, -700, 450}, 60));
    all.push_back(scene("between two fixtures", "six900", between(300), {480, 0, 400}, {420, 420, 500}));
    all.push_back(scene("between, to the other side", "six900", between(320), {500, 0, 380}, {360, -480, 420}));
    all.push_back(scene("between and across", "six900",
        json::array({block("one", 480, 130, 0, 260, 120, 480), block("two", 480, -130, 0, 260, 120, 480)}),
        {430, 440, 300}, {430, -440, 300}));
    all.push_back(scene("narrow between", "six600",
        json::array({block("one", 380, 170, 0, 200, 140, 420), block("two", 380, -170, 0, 200, 140, 420)}),
        {360, 0, 220}, {280, 330, 250}));
    all.push_back(scene("out of a bin", "six900", bin(520, 0), {520, 0, 150}, {200, 520, 200}));
    all.push_back(scene("from bin to bin", "six1400",
        [&] {
            json both = bin(700, 300);
            int n = 0;
            for (json b : bin(700, -300))
                b["id"] = "second_" + std::to_string(n++), b["name"] = b["id"], both.push_back(b);
            return both;
        }(),
        {700, 300, 150}, {700, -300, 150}));
    all.push_back(scene("bin beside a wall", "six900",
        [&] {
            json both = bin(500, 100);
            both.push_back(block("wall", 450, 320, 0, 600, 30, 700));
            return both;
        }(),
        {500, 100, 160}, {150, -520, 300}));
    all.push_back(scene("beside another arm", "six900", neighbour(560, 0), {420, 330, 300}, {420, -330, 300}));
    all.push_back(scene("under another arm", "six900", neighbour(700, 0), {380, 300, 250}, {400, -300, 420}));
    all.push_back(scene("over a wall", "six900", wall(0, 560), {430, 260, 200}, {430, -260, 200}));
    all.push_back(scene("over a high wall", "six1400", json::array({block("wall", 850, 0, 0, 900, 40, 900)}),
        {650, 420, 300}, {650, -420, 300}));
    all.push_back(scene("offset wrist over a wall", "offset850", wall(0, 420), {430, 260, 180}, {430, -260, 180}));
    all.push_back(scene("SCARA round a post", "scara650", json::array({block("post", 420, 0, 0, 90, 90, 350)}),
        {400, 260, 200}, {400, -260, 200}));
    all.push_back(scene("seven axes over a wall", "seven800", wall(0, 520), {430, 260, 260}, {430, -260, 260}));
    return all;
}

}  // namespace escarp::tests
