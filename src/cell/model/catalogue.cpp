#include "catalogue.h"

#include <cmath>

namespace escarp::cell {
namespace {

// Speeds, accelerations and jerks are usual for arms of these sizes (docs/model.md, "The catalogue's arms").

/// Lengths in mm; `thick` scales the bodies' diameters.
struct Sizes {
    const char *id, *name;
    double shoulder_height, shoulder_offset, upper, elbow_offset, forearm, wrist, thick;
    double payload;
    double speed[6], acceleration[6], jerk[6];
    double tool[4];  ///< speed and acceleration along a line, mm, and about an axis, degrees
};

json capsule(const char* name, json from, json to, double diameter) {
    return {{"name", name}, {"shape", "capsule"}, {"from_mm", std::move(from)}, {"to_mm", std::move(to)},
        {"diameter_mm", diameter}};
}

json cylinder(const char* name, double diameter, double height, json at, json turn = json::array({0, 0, 0})) {
    return {{"name", name}, {"shape", "cylinder"}, {"diameter_mm", diameter}, {"height_mm", height},
        {"at_mm", std::move(at)}, {"turn_deg", std::move(turn)}};
}

json at(double x, double y, double z) { return json::array({x, y, z}); }

json six_axis(const Sizes& s) {
    const double t = s.thick, half = 0.5 * s.forearm;
    json links = json::array();
    links.push_back({{"name", "base"},
        {"bodies", {cylinder("foot", 1.9 * t, 0.3 * t, at(0, 0, 0)),
                       cylinder("column", 1.5 * t, s.shoulder_height - 1.05 * t, at(0, 0, 0.3 * t))}}});
    links.push_back({{"name", "shoulder"},
        {"bodies", {capsule("housing", at(0, 0, -0.3 * t), at(s.shoulder_offset, 0, 0), 1.35 * t),
                       cylinder("axis 2", 1.15 * t, 1.7 * t, at(s.shoulder_offset, 0.85 * t, 0), at(90, 0, 0))}}});
    links.push_back({{"name", "upper arm"}, {"bodies", {capsule("beam", at(0, 0, 0), at(0, 0, s.upper), 0.95 * t)}}});
    links.push_back({{"name", "elbow"},
        {"bodies", {cylinder("axis 3", 0.95 * t, 1.3 * t, at(0, 0.65 * t, 0), at(90, 0, 0)),
                       capsule("housing", at(0, 0, s.elbow_offset), at(half, 0, s.elbow_offset), 0.85 * t)}}});
    links.push_back(
        {{"name", "forearm"}, {"bodies", {capsule("tube", at(0, 0, 0), at(half - 0.1 * t, 0, 0), 0.68 * t)}}});
    links.push_back(
        {{"name", "wrist"}, {"bodies", {capsule("wrist", at(0, 0, 0), at(0.45 * s.wrist, 0, 0), 0.62 * t)}}});
    links.push_back({{"name", "flange"},
        {"bodies", {cylinder("flange", 0.5 * t, 0.35 * s.wrist, at(0.65 * s.wrist, 0, 0), at(0, 90, 0))}}});

    const json origins[6] = {at(0, 0, s.shoulder_height), at(s.shoulder_offset, 0, 0), at(0, 0, s.upper),
        at(half, 0, s.elbow_offset), at(half, 0, 0), at(0, 0, 0)};
    const json axes[6] = {at(0, 0, 1), at(0, 1, 0), at(0, 1, 0), at(1, 0, 0), at(0, 1, 0), at(1, 0, 0)};
    const double low[6] = {-175, -95, -205, -190, -125, -360}, high[6] = {175, 140, 75, 190, 125, 360};
    json joints = json::array();
    for (int i = 0; i < 6; ++i)
        joints.push_back({{"name", "J" + std::to_string(i + 1)}, {"type", "hinge"}, {"parent", i}, {"child", i + 1},
            {"at_mm", origins[i]}, {"axis", axes[i]}, {"min_deg", low[i]}, {"max_deg", high[i]},
            {"speed_deg_s", s.speed[i]}, {"acceleration_deg_s2", s.acceleration[i]}, {"jerk_deg_s3", s.jerk[i]}});
    return {{"id", s.id}, {"name", s.name}, {"payload_kg", s.payload}, {"links", std::move(links)},
        {"joints", std::move(joints)},
        {"flange", {{"link", 6}, {"at_mm", at(s.wrist, 0, 0)}, {"turn_deg", at(0, 90, 0)}}},
        {"ready_deg", {0, -20, 20, 0, 90, 0}}, {"line_speed_mm_s", s.tool[0]}, {"line_acceleration_mm_s2", s.tool[1]},
        {"turn_speed_deg_s", s.tool[2]}, {"turn_acceleration_deg_s2", s.tool[3]}};
}

json box(const char* name, json size, json where) {
    return {{"name", name}, {"shape", "box"}, {"size_mm", std::move(size)}, {"at_mm", std::move(where)}};
}

json hinge(const char* name, int parent, int child, json where, json axis, double low, double high, double speed,
    double acceleration, double jerk) {
    return {{"name", name}, {"type", "hinge"}, {"parent", parent}, {"child", child}, {"at_mm", std::move(where)},
        {"axis", std::move(axis)}, {"min_deg", low}, {"max_deg", high}, {"speed_deg_s", speed},
        {"acceleration_deg_s2", acceleration}, {"jerk_deg_s3", jerk}};
}

json slide(const char* name, int parent, int child, json where, json axis, double low, double high, double speed,
    double acceleration, double jerk) {
    return {{"name", name}, {"type", "slide"}, {"parent", parent}, {"child", child}, {"at_mm", std::move(where)},
        {"axis", std::move(axis)}, {"min_mm", low}, {"max_mm", high}, {"speed_mm_s", speed},
        {"acceleration_mm_s2", acceleration}, {"jerk_mm_s3", jerk}};
}

json link(const char* name, std::vector<json> bodies) { return {{"name", name}, {"bodies", std::move(bodies)}}; }

const json up = json::array({0, 0, 1}), across = json::array({0, 1, 0}), down = json::array({0, 0, -1}),
           along = json::array({1, 0, 0});

/// Six hinges, second to fourth parallel; the wrist stands beside the forearm.
json offset_wrist() {
    return {{"id", "offset850"}, {"name", "Offset-wrist 850"}, {"payload_kg", 5},
        {"links", {link("base", {cylinder("foot", 160, 60, at(0, 0, 0)), cylinder("column", 130, 40, at(0, 0, 60))}),
                      link("shoulder", {cylinder("housing", 125, 120, at(0, 0, -50)),
                                           cylinder("axis 2", 110, 70, at(0, 110, 0), at(90, 0, 0))}),
                      link("upper arm", {cylinder("axis 2", 110, 60, at(0, 165, 0), at(90, 0, 0)),
                                            capsule("tube", at(0, 135, 0), at(0, 135, 425), 90)}),
                      link("forearm", {cylinder("axis 3", 95, 60, at(0, 75, 0), at(90, 0, 0)),
                                          capsule("tube", at(0, 30, 0), at(0, 30, 370), 76)}),
                      link("wrist 1", {cylinder("axis 4", 76, 110, at(0, 140, 0), at(90, 0, 0))}),
                      link("wrist 2", {cylinder("axis 5", 76, 110, at(0, 0, 15))}),
                      link("flange", {cylinder("axis 6", 72, 50, at(0, 82, 0), at(90, 0, 0))})}},
        {"joints", {hinge("J1", 0, 1, at(0, 0, 150), up, -360, 360, 200, 3000, 150000),
                       hinge("J2", 1, 2, at(0, 0, 0), across, -200, 200, 200, 3000, 150000),
                       hinge("J3", 2, 3, at(0, 0, 425), across, -165, 165, 220, 3200, 160000),
                       hinge("J4", 3, 4, at(0, 0, 390), across, -360, 360, 270, 4500, 225000),
                       hinge("J5", 4, 5, at(0, 110, 0), up, -360, 360, 270, 4500, 225000),
                       hinge("J6", 5, 6, at(0, 0, 95), across, -360, 360, 270, 4500, 225000)}},
        {"flange", {{"link", 6}, {"at_mm", at(0, 82, 0)}, {"turn_deg", at(-90, 0, 0)}}},
        {"ready_deg", {0, -5, 95, 0, -90, 0}}, {"line_speed_mm_s", 3500}, {"line_acceleration_mm_s2", 22000},
        {"turn_speed_deg_s", 600}, {"turn_acceleration_deg_s2", 9000}};
}

json seven_axis() {
    json links = json::array(
        {link("base", {cylinder("foot", 170, 100, at(0, 0, 0)), cylinder("column", 140, 60, at(0, 0, 100))}),
            link("shoulder 1",
                {cylinder("housing", 136, 100, at(0, 0, 0)), capsule("yoke", at(0, 0, 100), at(0, 0, 180), 130)}),
            link("shoulder 2", {capsule("housing", at(0, 0, 0), at(0, 0, 120), 126)}),
            link("upper arm", {capsule("tube", at(0, 0, -20), at(0, 0, 200), 118)}),
            link("elbow", {capsule("housing", at(0, 0, 0), at(0, 0, 120), 112)}),
            link("forearm", {capsule("tube", at(0, 0, -20), at(0, 0, 200), 100)}),
            link("wrist", {capsule("housing", at(0, 0, 0), at(0, 0, 60), 90)}),
            link("flange", {cylinder("flange", 70, 40, at(0, 0, 20))})});
    const json origins[7] = {
        at(0, 0, 160), at(0, 0, 180), at(0, 0, 200), at(0, 0, 200), at(0, 0, 200), at(0, 0, 200), at(0, 0, 90)};
    static const char* names[7] = {"J1", "J2", "J3", "J4", "J5", "J6", "J7"};
    const double limit[7] = {170, 120, 170, 120, 170, 120, 175}, speed[7] = {150, 150, 170, 170, 210, 210, 260},
                 acceleration[7] = {2200, 2200, 2400, 2400, 3500, 3500, 4500};
    json joints = json::array();
    for (int i = 0; i < 7; ++i)
        joints.push_back(hinge(names[i], i, i + 1, origins[i], i % 2 ? across : up, -limit[i], limit[i], speed[i],
            acceleration[i], 45 * acceleration[i]));
    return {{"id", "seven800"}, {"name", "Seven-axis 800"}, {"payload_kg", 7}, {"links", std::move(links)},
        {"joints", std::move(joints)}, {"flange", {{"link", 7}, {"at_mm", at(0, 0, 60)}}},
        {"ready_deg", {0, 20, 0, 80, 0, 80, 0}}, {"line_speed_mm_s", 2500}, {"line_acceleration_mm_s2", 18000},
        {"turn_speed_deg_s", 500}, {"turn_acceleration_deg_s2", 8000}};
}

/// Lengths in mm.
json scara(const char* id, const char* name, double column, double first, double second, double stroke, double payload,
    const double (&speed)[4], const double (&acceleration)[4], double jerk_time, const json& tool) {
    const auto jerk = [&](int i) { return std::round(acceleration[i] / jerk_time / 1000) * 1000; };
    const double t = 0.22 * first;
    return {{"id", id}, {"name", name}, {"payload_kg", payload},
        {"links", {link("base", {box("foot", at(3.4 * t, 3 * t, 20), at(0, 0, 0)),
                                    cylinder("column", 2.6 * t, column - 20, at(0, 0, 20))}),
                      link("first arm", {capsule("beam", at(0, 0, t), at(first, 0, t), 1.9 * t)}),
                      link("second arm", {capsule("beam", at(0, 0, 0), at(second, 0, 0), 1.7 * t),
                                             cylinder("drive", 1.5 * t, 2.2 * t, at(0.45 * second, 0, 0.8 * t))}),
                      link("quill", {cylinder("shaft", 0.5 * t, stroke + 140, at(0, 0, -60))}),
                      link("flange", {cylinder("flange", 0.9 * t, 12, at(0, 0, -60))})}},
        {"joints", {hinge("J1", 0, 1, at(0, 0, column), up, -132, 132, speed[0], acceleration[0], jerk(0)),
                       hinge("J2", 1, 2, at(first, 0, 3 * t), up, -145, 145, speed[1], acceleration[1], jerk(1)),
                       slide("J3", 2, 3, at(second, 0, 0), down, 0, stroke, speed[2], acceleration[2], jerk(2)),
                       hinge("J4", 3, 4, at(0, 0, 0), up, -360, 360, speed[3], acceleration[3], jerk(3))}},
        {"flange", {{"link", 4}, {"at_mm", at(0, 0, -60)}, {"turn_deg", at(180, 0, 0)}}}, {"ready", {-45, 90, 20, 0}},
        {"line_speed_mm_s", tool[0]}, {"line_acceleration_mm_s2", tool[1]}, {"turn_speed_deg_s", tool[2]},
        {"turn_acceleration_deg_s2", tool[3]}};
}

/// Level flange by a parallelogram: the third drive turns the forearm as seen from the column.
json palletiser() {
    json joints = json::array({hinge("J1", 0, 1, at(0, 0, 500), up, -170, 170, 150, 620, 10000),
        hinge("J2", 1, 2, at(200, 0, 250), across, -45, 85, 130, 560, 9000),
        hinge("J3", 1, 3, at(200, 0, 250), across, -20, 100, 135, 600, 10000)});
    joints.push_back({{"name", "Elbow"}, {"type", "hinge"}, {"parent", 2}, {"child", 4}, {"at_mm", at(0, 0, 950)},
        {"axis", across}, {"min_deg", -70}, {"max_deg", 80},
        {"follows", {{{"joint", "J3"}, {"ratio", 1}}, {{"joint", "J2"}, {"ratio", -1}}}}});
    joints.push_back({{"name", "Level"}, {"type", "hinge"}, {"parent", 4}, {"child", 5}, {"at_mm", at(1150, 0, 0)},
        {"axis", across}, {"follows", {{{"joint", "J3"}, {"ratio", -1}}}}});
    joints.push_back(hinge("J4", 5, 6, at(180, 0, -90), up, -350, 350, 380, 2600, 43000));
    return {{"id", "pallet2100"}, {"name", "Palletiser 2100"}, {"payload_kg", 80},
        {"links", {link("base", {cylinder("foot", 620, 180, at(0, 0, 0)), cylinder("column", 460, 300, at(0, 0, 180))}),
                      link("column", {cylinder("turntable", 520, 90, at(0, 0, -20)),
                                         capsule("shoulder", at(60, 0, 180), at(200, 0, 250), 330)}),
                      link("upper arm", {capsule("beam", at(0, 0, 0), at(0, 0, 950), 210)}),
                      link("crank", {cylinder("crank", 240, 60, at(0, 200, 0), at(90, 0, 0))}),
                      link("forearm", {cylinder("axis 3", 230, 300, at(0, 150, 0), at(90, 0, 0)),
                                          capsule("beam", at(0, 0, 0), at(1150, 0, 0), 180)}),
                      link("level head", {capsule("head", at(0, 0, 0), at(180, 0, 0), 150),
                                             cylinder("drive", 190, 120, at(180, 0, -60))}),
                      link("flange", {cylinder("flange", 160, 40, at(0, 0, -40))})}},
        {"joints", std::move(joints)}, {"flange", {{"link", 6}, {"at_mm", at(0, 0, -40)}, {"turn_deg", at(180, 0, 0)}}},
        {"ready_deg", {0, 0, 10, 0}}, {"line_speed_mm_s", 3000}, {"line_acceleration_mm_s2", 12000},
        {"turn_speed_deg_s", 400}, {"turn_acceleration_deg_s2", 2400}};
}

/// Strokes in mm. Two axes: a beam on two posts; more: a bridge on two rails. `turn`: a fourth axis about the upright.
json gantry(const char* id, const char* name, double x, double y, double z, double height, bool turn, double payload) {
    json links = json::array(), joints = json::array();
    const double post = 120, beam = height - 160;
    json frame = json::array();
    if (y > 0) {
        for (const double px : {-0.5, 0.5})
            for (const double py : {-0.5, 0.5})
                frame.push_back(box("post", at(post, post, beam), at(px * (x + 500), py * (y + 700), 0)));
        for (const double py : {-0.5, 0.5})
            frame.push_back(box("rail", at(x + 620, 140, 160), at(0, py * (y + 700), beam)));
        links.push_back(link("frame", std::move(frame)));
        links.push_back(link("bridge", {box("beam", at(160, y + 700, 140), at(0, 0, 0))}));
        links.push_back(link("carriage", {box("carriage", at(300, 260, 220), at(0, 0, 80))}));
        joints.push_back(slide("X", 0, 1, at(-0.5 * x, 0, height), along, 0, x, 2200, 6000, 120000));
        joints.push_back(slide("Y", 1, 2, at(0, -0.5 * y, 60), across, 0, y, 2200, 7000, 140000));
    } else {
        for (const double px : {-0.5, 0.5}) {
            frame.push_back(box("post", at(post, post, beam), at(px * (x + 500), 0, 0)));
            frame.push_back(box("foot", at(300, 500, 30), at(px * (x + 500), 0, 0)));
        }
        frame.push_back(box("beam", at(x + 620, 140, 160), at(0, 0, beam)));
        links.push_back(link("frame", std::move(frame)));
        links.push_back(link("carriage", {box("carriage", at(320, 90, 300), at(0, -125, -230))}));
        joints.push_back(slide("X", 0, 1, at(-0.5 * x, 0, height), along, 0, x, 2600, 8000, 160000));
    }
    const int carriage = static_cast<int>(links.size()) - 1;
    const json ram = y > 0 ? at(190, 0, 0) : at(0, -230, -80);
    links.push_back(link("ram", {box("ram", at(100, 100, z + 300), at(0, 0, -100))}));
    joints.push_back(slide("Z", carriage, carriage + 1, ram, down, 0, z, 2000, 9000, 180000));
    int last = carriage + 1;
    if (turn) {
        links.push_back(link("turning head", {cylinder("head", 110, 60, at(0, 0, -160))}));
        joints.push_back(hinge("Turn", last, last + 1, at(0, 0, 0), up, -185, 185, 360, 4000, 80000));
        ++last;
    }
    json ready = json::array({0.5 * x});
    if (y > 0) ready.push_back(0.5 * y);
    ready.push_back(0.1 * z);
    if (turn) ready.push_back(0);
    return {{"id", id}, {"name", name}, {"payload_kg", payload}, {"links", std::move(links)},
        {"joints", std::move(joints)},
        {"flange", {{"link", last}, {"at_mm", at(0, 0, turn ? -160 : -100)}, {"turn_deg", at(180, 0, 0)}}},
        {"ready", std::move(ready)}, {"line_speed_mm_s", 2600}, {"line_acceleration_mm_s2", 8000},
        {"turn_speed_deg_s", 360}, {"turn_acceleration_deg_s2", 4000}};
}

}  // namespace

const json& catalogue_arms() {
    static const json all = json::array({
        six_axis({"six600", "Six-axis 600", 260, 30, 280, 30, 290, 70, 95, 4, {460, 450, 540, 580, 580, 920},
            {8000, 7400, 9200, 16000, 16000, 26000}, {727000, 673000, 836000, 1455000, 1455000, 2364000},
            {6000, 60000, 1700, 32000}}),
        six_axis({"six900", "Six-axis 900", 330, 50, 420, 40, 430, 80, 120, 8, {370, 350, 410, 500, 500, 800},
            {4800, 4400, 5600, 10000, 10000, 16000}, {343000, 314000, 400000, 714000, 714000, 1143000},
            {5000, 40000, 1300, 20000}}),
        six_axis({"six1400", "Six-axis 1400", 450, 150, 610, 60, 640, 100, 165, 20, {270, 260, 280, 420, 420, 640},
            {2700, 2500, 3000, 7000, 7000, 11000}, {150000, 139000, 167000, 389000, 389000, 611000},
            {4500, 30000, 1000, 16000}}),
        offset_wrist(),
        seven_axis(),
        scara("scara400", "SCARA 400", 300, 225, 175, 180, 4, {500, 800, 1400, 2600}, {20000, 34000, 55000, 75000},
            0.008, {8500, 120000, 2800, 90000}),
        scara("scara650", "SCARA 650", 380, 350, 300, 240, 10, {430, 680, 1300, 2100}, {13000, 22000, 52000, 70000},
            0.0095, {8000, 105000, 2100, 70000}),
        palletiser(),
        gantry("gantry2", "Gantry 2000, two axes", 2000, 0, 700, 2000, false, 25),
        gantry("gantry3", "Gantry 2400 x 1200, three axes", 2400, 1200, 800, 2100, false, 40),
        gantry("gantry4", "Gantry 2400 x 1200, four axes", 2400, 1200, 800, 2100, true, 35),
    });
    return all;
}

const json& catalogue_tools() {
    static const json all = json::array({
        {{"id", "jaw120"}, {"name", "Jaw gripper 120"}, {"mass_kg", 1.1}, {"close_s", 0.35}, {"open_s", 0.25},
            {"force_N", 600}, {"faces", 2}, {"friction", 0.35},
            {"tool_frame", {{"at_mm", at(0, 0, 150)}, {"turn_deg", at(0, 0, 0)}}},
            {"bodies",
                {cylinder("coupling", 60, 30, at(0, 0, 0)),
                    {{"name", "palm"}, {"shape", "box"}, {"size_mm", at(150, 60, 60)}, {"at_mm", at(0, 0, 30)}},
                    {{"name", "jaw"}, {"shape", "box"}, {"size_mm", at(12, 40, 75)}, {"at_mm", at(68, 0, 90)}},
                    {{"name", "jaw"}, {"shape", "box"}, {"size_mm", at(12, 40, 75)}, {"at_mm", at(-68, 0, 90)}}}}},
        {{"id", "jaw60"}, {"name", "Jaw gripper 60"}, {"mass_kg", 0.6}, {"close_s", 0.25}, {"open_s", 0.2},
            {"force_N", 300}, {"faces", 2}, {"friction", 0.35},
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
        {{"id", "block60"}, {"name", "Block 60"}, {"mass_kg", 0.5},
            {"bodies", {{{"name", "block"}, {"shape", "box"}, {"size_mm", at(60, 60, 50)}}}},
            {"grips", {{{"id", "top"}, {"at_mm", at(0, 0, 38)}, {"turn_deg", at(180, 0, 0)}}}}},
    });
    return all;
}

}  // namespace escarp::cell
