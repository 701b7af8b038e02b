#include "catalogue.h"

namespace escarp::cell {
namespace {

/// Lengths in mm; `thick` scales the bodies' diameters.
struct Sizes {
    const char *id, *name;
    double shoulder_height, shoulder_offset, upper, elbow_offset, forearm, wrist, thick;
    double payload;
    double speed[6], acceleration[6], jerk[6];
};

json capsule(const char* name, json from, json to, double diameter) {
    return {{"name", name}, {"shape", "capsule"}, {"from_mm", std::move(from)}, {"to_mm", std::move(to)}, {"diameter_mm", diameter}};
}

json cylinder(const char* name, double diameter, double height, json at, json turn = json::array({0, 0, 0})) {
    return {{"name", name}, {"shape", "cylinder"}, {"diameter_mm", diameter}, {"height_mm", height}, {"at_mm", std::move(at)}, {"turn_deg", std::move(turn)}};
}

json at(double x, double y, double z) { return json::array({x, y, z}); }

json six_axis(const Sizes& s) {
    const double t = s.thick, half = 0.5 * s.forearm;
    json links = json::array();
    links.push_back({{"name", "base"}, {"bodies", {cylinder("foot", 1.9 * t, 0.3 * t, at(0, 0, 0)), cylinder("column", 1.5 * t, s.shoulder_height - 1.05 * t, at(0, 0, 0.3 * t))}}});
    links.push_back({{"name", "shoulder"},
                     {"bodies", {capsule("housing", at(0, 0, -0.3 * t), at(s.shoulder_offset, 0, 0), 1.35 * t), cylinder("axis 2", 1.15 * t, 1.7 * t, at(s.shoulder_offset, 0.85 * t, 0), at(90, 0, 0))}}});
    links.push_back({{"name", "upper arm"}, {"bodies", {capsule("beam", at(0, 0, 0), at(0, 0, s.upper), 0.95 * t)}}});
    links.push_back({{"name", "elbow"},
                     {"bodies", {cylinder("axis 3", 0.95 * t, 1.3 * t, at(0, 0.65 * t, 0), at(90, 0, 0)), capsule("housing", at(0, 0, s.elbow_offset), at(half, 0, s.elbow_offset), 0.85 * t)}}});
    links.push_back({{"name", "forearm"}, {"bodies", {capsule("tube", at(0, 0, 0), at(half - 0.1 * t, 0, 0), 0.68 * t)}}});
    links.push_back({{"name", "wrist"}, {"bodies", {capsule("wrist", at(0, 0, 0), at(0.45 * s.wrist, 0, 0), 0.62 * t)}}});
    links.push_back({{"name", "flange"}, {"bodies", {cylinder("flange", 0.5 * t, 0.35 * s.wrist, at(0.65 * s.wrist, 0, 0), at(0, 90, 0))}}});

    const json origins[6] = {at(0, 0, s.shoulder_height), at(s.shoulder_offset, 0, 0), at(0, 0, s.upper), at(half, 0, s.elbow_offset), at(half, 0, 0), at(0, 0, 0)};
    const json axes[6] = {at(0, 0, 1), at(0, 1, 0), at(0, 1, 0), at(1, 0, 0), at(0, 1, 0), at(1, 0, 0)};
    const double low[6] = {-175, -95, -205, -190, -125, -360}, high[6] = {175, 140, 75, 190, 125, 360};
    json joints = json::array();
    for (int i = 0; i < 6; ++i)
        joints.push_back({{"name", "J" + std::to_string(i + 1)}, {"type", "hinge"}, {"parent", i}, {"child", i + 1}, {"at_mm", origins[i]}, {"axis", axes[i]},
                          {"min_deg", low[i]}, {"max_deg", high[i]}, {"speed_deg_s", s.speed[i]}, {"acceleration_deg_s2", s.acceleration[i]}, {"jerk_deg_s3", s.jerk[i]}});
    return {{"id", s.id},
            {"name", s.name},
            {"payload_kg", s.payload},
            {"links", std::move(links)},
            {"joints", std::move(joints)},
            {"flange", {{"link", 6}, {"at_mm", at(s.wrist, 0, 0)}, {"turn_deg", at(0, 90, 0)}}},
            {"ready_deg", {0, -20, 20, 0, 90, 0}},
            {"line_speed_mm_s", 1500},
            {"line_acceleration_mm_s2", 9000},
            {"turn_speed_deg_s", 360},
            {"turn_acceleration_deg_s2", 2500}};
}

}  // namespace

const json& catalogue_arms() {
    static const json all = json::array({
        six_axis({"six600", "Six-axis 600", 260, 30, 280, 30, 290, 70, 95, 4,
                  {380, 360, 400, 480, 480, 720}, {2200, 2000, 2400, 3600, 3600, 5200}, {26000, 24000, 28000, 45000, 45000, 65000}}),
        six_axis({"six900", "Six-axis 900", 330, 50, 420, 40, 430, 80, 120, 8,
                  {300, 270, 320, 420, 420, 640}, {1500, 1300, 1700, 2800, 2800, 4200}, {16000, 14000, 18000, 32000, 32000, 48000}}),
        six_axis({"six1400", "Six-axis 1400", 450, 150, 610, 60, 640, 100, 165, 20,
                  {220, 200, 230, 340, 340, 520}, {900, 800, 950, 1900, 1900, 3000}, {9000, 8000, 9500, 20000, 20000, 30000}}),
    });
    return all;
}

const json& catalogue_tools() {
    static const json all = json::array({
        {{"id", "jaw120"},
         {"name", "Jaw gripper 120"},
         {"mass_kg", 1.1},
         {"close_s", 0.35},
         {"open_s", 0.25},
         {"force_N", 240},
         {"faces", 2},
         {"friction", 0.35},
         {"tool_frame", {{"at_mm", at(0, 0, 150)}, {"turn_deg", at(0, 0, 0)}}},
         {"bodies",
          {cylinder("coupling", 60, 30, at(0, 0, 0)),
           {{"name", "palm"}, {"shape", "box"}, {"size_mm", at(150, 60, 60)}, {"at_mm", at(0, 0, 30)}},
           {{"name", "jaw"}, {"shape", "box"}, {"size_mm", at(12, 40, 75)}, {"at_mm", at(68, 0, 90)}},
           {{"name", "jaw"}, {"shape", "box"}, {"size_mm", at(12, 40, 75)}, {"at_mm", at(-68, 0, 90)}}}}},
        {{"id", "jaw60"},
         {"name", "Jaw gripper 60"},
         {"mass_kg", 0.6},
         {"close_s", 0.25},
         {"open_s", 0.2},
         {"force_N", 120},
         {"faces", 2},
         {"friction", 0.35},
         {"tool_frame", {{"at_mm", at(0, 0, 120)}, {"turn_deg", at(0, 0, 0)}}},
         {"bodies",
          {cylinder("coupling", 50, 25, at(0, 0, 0)),
           {{"name", "palm"}, {"shape", "box"}, {"size_mm", at(90, 45, 45)}, {"at_mm", at(0, 0, 25)}},
           {{"name", "jaw"}, {"shape", "box"}, {"size_mm", at(8, 25, 60)}, {"at_mm", at(36, 0, 70)}},
           {{"name", "jaw"}, {"shape", "box"}, {"size_mm", at(8, 25, 60)}, {"at_mm", at(-36, 0, 70)}}}}},
    });
    return all;
}

const json& catalogue_part_types() {
    static const json all = json::array({
        {{"id", "block60"},
         {"name", "Block 60"},
         {"mass_kg", 0.5},
         {"bodies", {{{"name", "block"}, {"shape", "box"}, {"size_mm", at(60, 60, 50)}}}},
         {"grips", {{{"id", "top"}, {"at_mm", at(0, 0, 38)}, {"turn_deg", at(180, 0, 0)}}}}},
    });
    return all;
}

}  // namespace escarp::cell
