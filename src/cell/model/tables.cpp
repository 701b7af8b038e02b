#include "tables.h"

#include <algorithm>

#include <kinematics/mechanism.h>

#include "study.h"

namespace escarp::cell {

using namespace field;
using Type = Field::Type;

const Fields& cell_fields() {
    static const Fields all{whole("escarp", "format version", 1, 1), text("name", "name").usually("Cell"),
        number("takt_s", "takt", 0, 1e5).usually(0).explained("Time per part that the line demands; 0: none."),
        number("horizon_s", "horizon", 1, 1e6).usually(900).explained("How long a run may take to settle."),
        number("safety_distance_mm", "safety distance", 0, 1000)
            .usually(20)
            .explained("Clearances below it are findings."),
        whole("seed", "seed", 0, 1000000000).usually(1).explained("Of all random draws."),
        list("meshes", "meshes", mesh_fields, 500), list("part_types", "part types", part_type_fields, 500),
        list("arm_models", "arm models", arm_model_fields, 200),
        list("unfinished_models", "unfinished models", unfinished_model_fields, 0),
        list("tool_models", "tools", tool_model_fields, 200),
        of(Type::devices, "devices", "devices").of_number(0, 2000),
        list("excluded_pairs", "pairs left out", exclusion_fields, 2000), group("costs", "costs", cost_fields),
        list("studies", "studies", study_fields, 100), list("blocks", "blocks", block_fields, 200),
        list("variants", "variants", variant_fields, 0).of_number(1, 0), of(Type::id, "baseline", "baseline").lacking(),
        list("links", "links", outside_link_fields, 20), list("views", "stored views", view_fields, 1000),
        group("underlay", "picture under the Floor", underlay_fields),
        of(Type::texts, "retired_ids", "ids not given again").lacking()};
    return all;
}

const Fields& exclusion_fields() {
    static const Fields all{of(Type::device, "a", "device"),
        of(Type::body, "a_body", "body of it")
            .usually("")
            .explained("Of the device that one body alone: an arm's link, tool, part (what it holds, or what lies on "
                       "it) or what "
                       "its bodies are called; all of it if not given."),
        of(Type::device, "b", "other device")
            .usually("")
            .as_said({"all others"})
            .explained("Everything else if not given."),
        of(Type::body, "b_body", "its body").usually(""), text("reason", "reason").usually(""),
        of(Type::condition, "while", "only while")
            .lacking()
            .explained("Not judged only while this holds, such as door.open."),
        number("distance_mm", "or judged with", 0, 1000)
            .lacking()
            .explained("A safety distance of its own, instead of not being judged.")};
    return all;
}

const Fields& cost_fields() {
    static const Fields all{number("parts_per_year", "parts a year", 0, 1e12)
                                .usually(0)
                                .explained("That the prices of the devices are shared among; 0: not stated."),
        number("years", "written off in", 0.01, 1000).usually(5).explained("Years."),
        number("per_kWh", "price of a kWh", 0, 1e6).usually(0)};
    return all;
}

const Fields& block_fields() {
    static const Fields all{own_id(), text("name", "name").lacking(), of(Type::steps, "steps", "steps")};
    return all;
}

const Fields& variant_fields() {
    static const Fields all{
        own_id(), text("name", "name"), of(Type::differences, "differences", "differences").lacking()};
    return all;
}

const Fields& view_fields() {
    static const Fields all{text("id", "id").usually(""), text("name", "name").usually(""),
        of(Type::anything, "floor", "of the Floor").lacking(), of(Type::anything, "model", "of the Model").lacking()};
    return all;
}

const Fields& underlay_fields() {
    static const Fields all{text("name", "name").usually(""), number("x_mm", "x", -1e7, 1e7).usually(0),
        number("y_mm", "y", -1e7, 1e7).usually(0), number("width_mm", "width", 0, 1e7).usually(5000),
        number("turn_deg", "turned", -1e6, 1e6).usually(0), number("fade_pct", "faded", 0, 100).usually(50),
        text("picture", "picture").usually("")};
    return all;
}

const Fields& part_type_fields() {
    static const Fields all{own_id(), text("name", "name").lacking(), of(Type::colour, "colour", "colour").usually(""),
        number("mass_kg", "mass", 0, 5000).at_first(0.5), bodies("bodies", "bodies", 1),
        list("grips", "grips", grip_fields, 100), group("seats", "seats", carrier_fields).of_number(0, 1)};
    return all;
}

const Fields& carrier_fields() {
    static const Fields all{whole("columns", "along x", 1, 50).usually(1).at_first(3),
        whole("rows", "along y", 1, 50).usually(1).at_first(2), whole("layers", "layers", 1, 20).usually(1),
        number("pitch_x_mm", "pitch x", 1, 5000).usually(100), number("pitch_y_mm", "pitch y", 1, 5000).usually(100),
        number("pitch_z_mm", "layer pitch", 1, 5000).usually(60),
        of(Type::points, "places_mm", "or places")
            .lacking()
            .explained("Instead of rows and columns: x, y of each seat."),
        number("height_mm", "seats at", -5000, 5000).lacking().explained("Else the carrier's top."),
        choice("order", "filled", {"along x", "along y"}).usually("along x"),
        number("layer_turn_deg", "layers turn", -360, 360).usually(0).explained("Every other layer."),
        number("layer_x_mm", "shift x", -5000, 5000).usually(0),
        number("layer_y_mm", "shift y", -5000, 5000).usually(0),
        of(Type::ids, "fits", "fits").lacking().explained("Ids; without any: every part that is no carrier.")};
    return all;
}

const Fields& frame_fields() {
    static const Fields all{vector("at_mm", "at", -1e5, 1e5).usually({0, 0, 0}),
        vector("turn_deg", "turned", -3600, 3600).usually({0, 0, 0})};
    return all;
}

namespace {
Fields with(Fields first, const Fields& more) {
    first.insert(first.end(), more.begin(), more.end());
    return first;
}
}  // namespace

const Fields& grip_fields() {
    static const Fields all = with({own_id()},
        with(frame_fields(), {number("tolerance_mm", "tolerance", 0, 1000)
                                     .usually(0)
                                     .explained("How far aside of it the tool still grips; 0: not stated.")}));
    return all;
}

const Fields& tool_model_fields() {
    static const Fields all{own_id(), text("name", "name").lacking(), bodies("bodies", "bodies", 0).lacking(),
        group("tool_frame", "tool frame", frame_fields), number("mass_kg", "mass", 0, 1000).usually(0),
        number("close_s", "closes in", 0, 60).usually(0.3), number("open_s", "opens in", 0, 60).usually(0.3),
        number("force_N", "force", 0, 1e6)
            .usually(0)
            .explained("Of each jaw, or the whole pull of a suction cup; 0: not stated, so holding is not judged."),
        whole("faces", "faces in contact", 1, 100).usually(2), number("friction", "friction", 0.01, 5).usually(0.3),
        flag("suction", "by suction", false)};
    return all;
}

const Fields& mesh_fields() {
    static const Fields all{own_id(), text("name", "name").lacking(), of(Type::colour, "colour", "colour").usually(""),
        of(Type::pieces, "pieces", "convex pieces"), text("surface", "surface").usually(""),
        group("link", "file", mesh_link_fields), numbers("size_mm", "size", 0, 1e6, 3, 3).lacking(),
        number("volume_cm3", "volume", -1e15, 1e15).usually(0),
        whole("triangles", "triangles", 0, 1000000000).usually(0)};
    return all;
}

const Fields& mesh_link_fields() {
    static const Fields all{text("file", "file").of_number(1, 0), number("unit_m", "unit", 1e-6, 1000).usually(1e-3),
        flag("y_up", "y is up", false), flag("bottom_centre", "stands on its bottom centre", true)};
    return all;
}

const Fields& arm_model_fields() {
    static const Fields all{own_id(), text("name", "name").lacking(),
        number("payload_kg", "payload", 0, 1e5).usually(0).explained("Tool included; 0: not stated."),
        [] {
            Field f = list("links", "links", link_fields, 40);
            f.least = 2, f.may_lack = false;
            return f;
        }(),
        [] {
            Field f = list("joints", "joints", joint_fields, 40);
            f.may_lack = false;
            return f;
        }(),
        group("flange", "flange", flange_fields), numbers("ready_deg", "ready posture", -1e5, 1e5, 0, 0).lacking(),
        numbers("ready", "ready posture", -1e5, 1e5, 0, 0).lacking(),
        number("line_speed_mm_s", "speed on lines", 1, 1e5).usually(1500),
        number("line_acceleration_mm_s2", "acceleration on lines", 1, 1e6).usually(8000),
        number("turn_speed_deg_s", "turning speed on lines", 1, 1e5).usually(360),
        number("turn_acceleration_deg_s2", "turning acceleration on lines", 1, 1e6).usually(2500),
        number("settle_s", "settling time", 0, 10)
            .usually(0)
            .explained("After each motion that ends in a stop, before the arm goes on.")};
    return all;
}

const Fields& link_fields() {
    static const Fields all{text("name", "name").usually(""), bodies("bodies", "bodies", 0).lacking(),
        number("mass_kg", "mass", 0, 1e5).usually(0),
        vector("centre_mm", "centre of mass", -1e5, 1e5).usually({0, 0, 0}),
        numbers("inertia_kg_m2", "inertia", -1e6, 1e6, 6, 6).lacking()};
    return all;
}

const Fields& joint_fields() {
    static const Fields all = [] {
        Fields f{text("name", "name").lacking(), choice("type", "type", {"hinge", "slide", "fixed"}).usually("hinge"),
            whole("parent", "on link", 0, 39).lacking(), whole("child", "carries link", 1, 39).lacking()};
        f = with(std::move(f), frame_fields());
        f.push_back(vector("axis", "axis", -1e3, 1e3).usually({0, 0, 1}));
        for (const std::string unit : {"deg", "mm"}) {
            const double bound = unit == "deg" ? 3600 : 1e5;
            f.push_back(number("min_" + unit, "from", -bound, bound).lacking());
            f.push_back(number("max_" + unit, "to", -bound, bound).lacking());
            f.push_back(number("speed_" + unit + "_s", "speed", 1e-3, 1e7).lacking());
            f.push_back(number("acceleration_" + unit + "_s2", "acceleration", 1e-3, 1e7).lacking());
            f.push_back(number("jerk_" + unit + "_s3", "jerk", 1e-3, 1e7).lacking());
            f.push_back(number("offset_" + unit, "offset", -bound, bound).lacking());
        }
        f.push_back(list("follows", "follows", leader_fields, kinematics::most_joints));
        return f;
    }();
    return all;
}

const Fields& leader_fields() {
    static const Fields all{text("joint", "joint"), number("ratio", "ratio", -1000, 1000).usually(1)};
    return all;
}

const Fields& flange_fields() {
    static const Fields all = with({whole("link", "on link", 0, 39).lacking()}, frame_fields());
    return all;
}

const Fields& unfinished_model_fields() {
    static const Fields all{own_id()};
    return all;
}

const Fields& device_fields() {
    static const Fields all{own_id(), text("name", "name").of_number(1, 0).lacking(), text("kind", "kind"),
        of(Type::colour, "colour", "colour").usually(""), text("host", "stands on").usually("floor"),
        group("placement", "placement", placement_fields), flag("locked", "locked", false),
        number("safety_distance_mm", "own distance", 0, 1000)
            .lacking()
            .explained("Instead of the cell's safety distance; the greater one of two devices counts."),
        number("price", "price", 0, 1e12).usually(0).explained("In whatever money the whole cell is reckoned in."),
        number("power_W", "power", 0, 1e9).usually(0).explained("That it draws on average while the cell runs."),
        text("group", "group").usually(""), list("inputs", "inputs", input_fields, 100),
        of(Type::ids, "own_signals", "own signals").of_number(0, 100).lacking(),
        of(Type::ids, "starts_on", "on at the start").of_number(0, 100).lacking(),
        list("own_numbers", "own numbers", own_number_fields, 100), list("io", "addresses", io_fields, 300),
        of(Type::steps, "first", "once before the task").lacking(), of(Type::steps, "task", "task").lacking(),
        list("side_tasks", "side tasks", side_task_fields, 20)};
    return all;
}

const Fields& placement_fields() {
    static const Fields all = [] {
        Fields f;
        for (const char* key : {"x_mm", "y_mm", "z_mm"})
            f.push_back(number(key, std::string(key, 1), millimetres.low, millimetres.high).usually(0));
        for (const auto& [key, label] : {std::pair{"rx_deg", "about x"}, {"ry_deg", "about y"}, {"turn_deg", "turned"}})
            f.push_back(number(key, label, angle.low, angle.high).usually(0));
        return f;
    }();
    return all;
}

const Fields& arm_device_fields() {
    static const Fields all{of(Type::arm_model, "model", "model").at_first(""),
        of(Type::tool_model, "tool", "tool").usually("").at_first(""),
        list("more_tools", "more tools", more_tool_fields, 8), number("speed_pct", "speed", 1, 100).usually(100),
        number("acceleration_pct", "acceleration", 1, 100).usually(100),
        flag("detours", "detours", true).explained("Joint moves go round what stands in the way"),
        flag("gentle_carry", "gently", false).explained("Moves with a part are slowed until the grip holds"),
        group("travel", "travel axis", travel_fields), numbers("ready_deg", "ready posture", -1e5, 1e5, 0, 0).lacking(),
        numbers("ready", "ready posture", -1e5, 1e5, 0, 0).lacking(),
        list("poses", "poses", pose_fields, 1000).at_first(json::array()),
        group("calibrated", "calibrated", calibrated_fields)};
    return all;
}

const Fields& calibrated_fields() {
    static const Fields all{whole("moves", "moves", 1, 1'000'000'000), number("cycle_within_pct", "cycle within", 0, 1e6),
        text("limits", "key of the limits that were fitted")};
    return all;
}

const Fields& input_fields() {
    static const Fields all{own_id(), of(Type::formula, "from", "takes").usually(""),
        choice("type", "type", {"on/off", "whole number", "number"}).lacking(), text("unit", "unit").usually("")};
    return all;
}

const Fields& own_number_fields() {
    static const Fields all{own_id(), choice("type", "type", {"whole number", "number"}).usually("whole number"),
        number("start", "begins at", -1e9, 1e9).usually(0), text("unit", "unit").usually("")};
    return all;
}

const Fields& io_fields() {
    static const Fields all{own_id(), text("address", "address").usually(""), text("comment", "comment").usually(""),
        flag("outside", "from outside", false)
            .explained("In a live run it comes from a controller, and its device or its source sets it no longer.")};
    return all;
}

const Fields& side_task_fields() {
    static const Fields all{own_id(), text("name", "name").lacking(),
        choice("starts", "starts", {"at once", "when asked"}).usually("at once"),
        of(Type::steps, "first", "once before").lacking(), of(Type::steps, "steps", "steps").lacking()};
    return all;
}

const Fields& more_tool_fields() {
    static const Fields all = with({of(Type::tool_model, "tool", "tool")}, frame_fields());
    return all;
}

const Fields& travel_fields() {
    static const Fields all{number("length_mm", "its length", 50, 50000).usually(2000),
        number("width_mm", "width", 50, 3000).usually(400), number("height_mm", "height", 20, 5000).usually(300),
        number("speed_mm_s", "speed", 1, 20000).usually(1500),
        number("acceleration_mm_s2", "acceleration", 1, 100000).usually(2500),
        number("jerk_mm_s3", "jerk", 1, 1e7).lacking(),
        number("ready_mm", "ready at", 0, 50000).lacking().explained("The middle unless it is said."),
        number("arm_turn_deg", "arm turned", angle.low, angle.high).usually(0)};
    return all;
}

const Fields& pose_fields() {
    static const Fields all = with(
        {own_id(), text("name", "name").lacking(), numbers("joints_deg", "joint values", -1e5, 1e5, 0, 0).lacking(),
            numbers("joints", "joint values", -1e5, 1e5, 0, 0).lacking(),
            text("relative_to", "relative to").usually("floor")},
        frame_fields());
    return all;
}

const Fields& step_fields() {
    static const Fields all{own_id(), text("do", "does"), flag("enabled", "enabled", true)};
    return all;
}

const std::vector<BodyShape>& body_shapes() {
    static const auto size = [](const char* key, const char* label) { return number(key, label, 0.1, 1e5); };
    static const std::vector<BodyShape> all{
        {"box", "box", {vector("size_mm", "size", 0.1, 1e5).at_first({100, 100, 100})}},
        {"cylinder", "cylinder",
            {size("diameter_mm", "diameter").at_first(80), size("height_mm", "height").at_first(100)}},
        {"sphere", "ball", {size("diameter_mm", "diameter").at_first(80)}},
        {"capsule", "rounded bar",
            {vector("from_mm", "from", -1e5, 1e5).at_first({0, 0, 20}),
                vector("to_mm", "to", -1e5, 1e5).at_first({100, 0, 20}), size("diameter_mm", "diameter").at_first(40)}},
        {"hull", "hull of points", {of(Type::points, "points_mm", "points").of_number(4, 4096)}},
        {"mesh", "imported geometry", {of(Type::mesh, "mesh", "geometry")}}};
    return all;
}

const Fields& body_fields() {
    static const Fields all = [] {
        std::vector<std::string> words, said;
        for (const BodyShape& s : body_shapes()) words.push_back(s.word), said.push_back(s.label);
        return with({text("name", "name").usually(""), choice("shape", "shape", words).as_said(said)}, frame_fields());
    }();
    return all;
}

const BodyShape* find_shape(const std::string& word) {
    const auto& all = body_shapes();
    const auto found = std::find_if(all.begin(), all.end(), [&](const BodyShape& s) { return s.word == word; });
    return found == all.end() ? nullptr : &*found;
}

}  // namespace escarp::cell
