#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <sstream>

#include <cell/edits/build_model.h>
#include <cell/model/catalogue.h>
#include <exchange/urdf.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;

namespace {

struct Room {
    std::filesystem::path path = std::filesystem::temp_directory_path() / ("escarp-urdf-" + std::to_string(::getpid()));
    Room() { std::filesystem::create_directories(path / "meshes"); }
    ~Room() { std::filesystem::remove_all(path); }
    std::string put(const std::string& name, const std::string& text) const {
        std::ofstream(path / name) << text;
        return (path / name).string();
    }
};

/// A tetrahedron, 100 mm along each axis, as STL in metres.
const char* tetrahedron = R"(solid t
facet normal 0 0 -1
outer loop
vertex 0 0 0
vertex 0 0.1 0
vertex 0.1 0 0
endloop
endfacet
facet normal 0 -1 0
outer loop
vertex 0 0 0
vertex 0.1 0 0
vertex 0 0 0.1
endloop
endfacet
facet normal -1 0 0
outer loop
vertex 0 0 0
vertex 0 0 0.1
vertex 0 0.1 0
endloop
endfacet
facet normal 1 1 1
outer loop
vertex 0.1 0 0
vertex 0 0.1 0
vertex 0 0 0.1
endloop
endfacet
endsolid t
)";

std::string made_up(const std::string& body) {
    return "<?xml version=\"1.0\"?>\n<robot name=\"Bench\">\n" + body + "\n</robot>\n";
}

const std::string links_two =
    R"(<link name="base"><visual><geometry><box size="0.2 0.3 0.1"/></geometry></visual></link><link name="arm"/>)";

std::map<std::string, double> drawn_values(const kinematics::Mechanism& m, tests::Draw& draw) {
    std::map<std::string, double> out;
    for (const kinematics::Joint& j : m.joints) out[j.name] = draw.in(j.low, j.high);
    return out;
}

}  // namespace

TEST_CASE("a URDF arm comes in with shapes, meshes, limits, inertias and a joint that follows; the rest is listed") {
    const Room room;
    room.put("meshes/cup.stl", tetrahedron);
    const std::string file = room.put("bench.urdf", made_up(R"(
<material name="ochre"><color rgba="0.8 0.5 0.1 1"/></material>
<link name="base"><visual><origin xyz="0 0 0.05"/><geometry><box size="0.2 0.3 0.1"/></geometry></visual>
 <collision><geometry><box size="0.2 0.3 0.1"/></geometry></collision></link>
<link name="column"><collision><origin xyz="0 0 0.2" rpy="0 1.5707963267948966 0"/><geometry>
 <cylinder radius="0.04" length="0.4"/></geometry></collision>
 <inertial><origin xyz="0 0 0.2" rpy="0 0 1.5707963267948966"/><mass value="3.5"/>
 <inertia ixx="1" iyy="2" izz="3" ixy="0" ixz="0" iyz="0"/></inertial></link>
<link name="left"><visual><geometry>
 <mesh filename="package://bench_description/meshes/cup.stl" scale="1 1 2"/></geometry>
 <material name="ochre"/></visual></link>
<link name="right"><visual><geometry><mesh filename="meshes/missing.stl"/></geometry></visual></link>
<link name="tip"/>
<joint name="turn" type="continuous"><parent link="base"/><child link="column"/><origin xyz="0 0 0.1"/>
 <axis xyz="0 0 1"/><limit effort="12" velocity="1.5"/><dynamics damping="0.1"/></joint>
<joint name="open" type="prismatic"><parent link="column"/><child link="left"/><origin xyz="0 0.02 0.4"/>
 <axis xyz="0 1 0"/><limit lower="0" upper="0.03" effort="5" velocity="0.1"/></joint>
<joint name="also" type="prismatic"><parent link="column"/><child link="right"/><origin xyz="0 -0.02 0.4"/>
 <axis xyz="0 -1 0"/><limit lower="0" upper="0.03" effort="5" velocity="0.1"/>
 <mimic joint="open" multiplier="1" offset="0.002"/></joint>
<joint name="end" type="fixed"><parent link="left"/><child link="tip"/>
 <origin xyz="0 0 0.1" rpy="3.14159265358979 0 0"/></joint>
<transmission name="t1"/>)"));
    cell::Document d;
    const exchange::UrdfArm arm = exchange::read_urdf(file, d);
    const cell::Edit edit = exchange::urdf_edit(simulation::layout(d, d.baseline()), arm);
    d = d.edited(d.baseline(), edit);
    const auto c = simulation::layout(d, d.baseline()).shared_cell();
    REQUIRE(c->arm_models.size() == 1);
    const kinematics::ArmModel& a = c->arm_models.front();
    REQUIRE(a.mechanism.size() == 2);
    REQUIRE(a.mechanism.followers.size() == 1);
    CHECK(a.mechanism.joints[0].speed == Approx(1.5));
    CHECK(a.mechanism.joints[0].high == Approx(2 * geometry::pi));
    CHECK(a.mechanism.joints[1].high == Approx(0.03));
    kinematics::JointVector q(2);
    q << geometry::pi / 2, 0.01;
    // base 0.1, column 0.4, then 0.1; the jaw is 0.02 + 0.01 to the left, which is -x after the quarter turn.
    CHECK((a.flange_frame(q).translation() - geometry::Vector3(-0.03, 0, 0.6)).norm() < 1e-6);
    CHECK(a.flange_frame(q).linear().col(2).z() == Approx(-1));
    std::vector<geometry::Frame> frames;
    a.mechanism.link_frames(q, geometry::Frame::Identity(), frames);
    bool right = false;
    for (std::size_t l = 0; l < frames.size(); ++l)
        if (a.mechanism.links[l].name == "right") {
            right = true;
            CHECK((frames[l].translation() - geometry::Vector3(0.032, 0, 0.5)).norm() < 1e-6);
        }
    CHECK(right);
    // shapes: the box stands on its bottom, the mesh is stretched and coloured
    const geometry::Box3 box = geometry::bounds(a.mechanism.links[0].bodies, geometry::Frame::Identity());
    CHECK((box.low - geometry::Vector3(-0.1, -0.15, 0)).norm() < 1e-6);
    CHECK((box.high - geometry::Vector3(0.1, 0.15, 0.1)).norm() < 1e-6);
    REQUIRE(arm.meshes.size() == 1);
    CHECK(arm.meshes[0]["size_mm"] == json({100.0, 100.0, 200.0}));
    CHECK(arm.meshes[0]["colour"] == "#cc801a");
    const json& column = arm.model["links"][1];
    CHECK(column["mass_kg"] == 3.5);
    CHECK(column["inertia_kg_m2"][0].get<double>() == Approx(2));  // turned a quarter about z
    CHECK(column["inertia_kg_m2"][1].get<double>() == Approx(1));
    const auto noted = [&](const char* words) {
        return std::any_of(arm.notes.begin(), arm.notes.end(),
            [&](const std::string& n) { return n.find(words) != std::string::npos; });
    };
    for (const char* words : {"<transmission> has no counterpart: t1", "<dynamics>", "missing.stl", "efforts", "12 N m",
             "without end", "no accelerations", "Collision shapes are left out", "payload"}) {
        CAPTURE(words);
        CHECK(noted(words));
    }
}

TEST_CASE("what is wrong with a robot description is told with its line, and nothing is changed") {
    const Room room;
    const cell::Document d;
    const auto refused = [&](const std::string& text, const char* words, const char* where = "") {
        const std::string file = room.put("wrong.urdf", text);
        try {
            exchange::read_urdf(file, d);
            FAIL("not refused: " << words);
        } catch (const cell::InputError& e) {
            CAPTURE(e.problems().front().where, e.problems().front().message);
            CHECK(e.problems().front().message.find(words) != std::string::npos);
            CHECK(e.problems().front().where.find(where) != std::string::npos);
        }
    };
    refused("<robot name='a'><link name='b'>", "not whole XML", "line 1");
    refused("<machine/>", "not a robot description");
    refused(made_up("<t:macro name='m'/>"), "template");
    refused(made_up(""), "no links");
    refused(made_up(links_two), "both hang on nothing");
    refused(made_up(links_two + "\n<joint name='j' type='revolute'><parent link='base'/><child link='hand'/><limit "
                                "lower='0' upper='1' velocity='1'/></joint>"),
        "does not have", "line 4");
    refused(made_up(links_two + "\n<joint name='j' type='screw'><parent link='base'/><child link='arm'/></joint>"),
        "not a type of joint", "line 4");
    refused(made_up(links_two + "\n\n<joint name='j' type='revolute'><parent link='base'/><child link='arm'/>\n<limit "
                                "lower='zero' upper='1' velocity='1'/></joint>"),
        "a number is expected", "line 6");
    refused(made_up(links_two + "\n<joint name='j' type='revolute'><parent link='base'/><child link='arm'/></joint>"),
        "no <limit>", "line 4");
    refused(made_up(links_two + "<joint name='j' type='fixed'><parent link='base'/><child link='arm'/></joint><joint "
                                "name='k' type='fixed'><parent link='arm'/><child link='base'/></joint>"),
        "no base");
    CHECK_THROWS_AS(exchange::read_urdf((room.path / "none.urdf").string(), d), cell::InputError);
    // Limits reversed are no reason to refuse the whole: the model waits to be mended.
    const std::string file = room.put(
        "reversed.urdf", made_up(links_two + "<joint name='j' type='revolute'><parent link='base'/><child "
                                             "link='arm'/><limit lower='1' upper='-1' velocity='1'/></joint>"));
    const exchange::UrdfArm arm = exchange::read_urdf(file, d);
    const cell::Document next = d.edited(d.baseline(), exchange::urdf_edit(simulation::layout(d, d.baseline()), arm));
    CHECK(next.tree()["arm_models"].empty());
    REQUIRE(next.tree()["unfinished_models"].size() == 1);
}

TEST_CASE("every catalogue arm written as URDF and read again stands the same at random joint values") {
    const Room room;
    tests::Draw draw(11);
    for (const json& model : cell::catalogue_arms()) {
        json tree = cell::Document().tree();
        tree["arm_models"].push_back(model);
        const std::string file = (room.path / (model["id"].get<std::string>() + ".urdf")).string();
        const std::vector<std::string> notes = exchange::write_urdf(tree, model["id"], file);
        CHECK(std::any_of(notes.begin(), notes.end(),
            [](const std::string& n) { return n.find("accelerations") != std::string::npos; }));
        const exchange::UrdfArm back = exchange::read_urdf(file, cell::Document());
        const cell::ModelDraft a = cell::read_draft(model, {}), b = cell::read_draft(back.model, {});
        CAPTURE(model["id"].get<std::string>());
        REQUIRE(b.problems.empty());
        CHECK(b.model.mechanism.size() == a.model.mechanism.size());
        // Two joints followed at once cannot be said in URDF, and the notes tell so.
        const bool tells = std::any_of(notes.begin(), notes.end(),
            [](const std::string& n) { return n.find("lets a joint follow one other") != std::string::npos; });
        const bool needs = std::any_of(
            a.joints.begin(), a.joints.end(), [](const cell::FileJoint& j) { return j.leaders.size() > 1; });
        CHECK(tells == needs);
        for (int round = 0; round < 10 && !needs; ++round) {
            const auto values = drawn_values(a.model.mechanism, draw);
            const auto one = a.frames(values), two = b.frames(values);
            const geometry::Frame from = one[a.flange_link] * a.flange, to = two[b.flange_link] * b.flange;
            CHECK(geometry::gap(from, to).distance < 1e-6);
            CHECK(geometry::gap(from, to).angle < 1e-6);
        }
        for (std::size_t i = 0; i < a.model.mechanism.joints.size(); ++i) {
            CHECK(b.model.mechanism.joints[i].low == Approx(a.model.mechanism.joints[i].low).margin(1e-7));
            CHECK(b.model.mechanism.joints[i].speed == Approx(a.model.mechanism.joints[i].speed));
        }
        // The bodies take up the same room.
        for (std::size_t l = 0; l < a.links.size(); ++l) {
            const geometry::Box3 x = geometry::bounds(a.links[l].bodies, geometry::Frame::Identity()),
                                 y = geometry::bounds(b.links[l].bodies, geometry::Frame::Identity());
            CHECK(x.empty() == y.empty());
            if (!x.empty()) CHECK(((x.low - y.low).norm() + (x.high - y.high).norm()) < 1e-6);
        }
    }
}

TEST_CASE("a mangled robot description or unfinished model is refused with its reason, and never breaks anything") {
    const Room room;
    tests::Draw draw(77);
    json tree = cell::Document().tree();
    for (const json& model : cell::catalogue_arms())
        if (model["id"] == "scara400") tree["arm_models"].push_back(model);
    const std::string file = (room.path / "whole.urdf").string();
    exchange::write_urdf(tree, "scara400", file);
    std::ostringstream text;
    text << std::ifstream(file).rdbuf();
    const std::string whole = text.str();
    int read = 0, refused = 0;
    for (int round = 0; round < 400; ++round) {
        std::string broken = whole;
        for (int k = draw.whole(1, 4); k > 0; --k) {
            const auto at = static_cast<std::size_t>(draw.whole(0, static_cast<int>(broken.size()) - 1));
            switch (draw.whole(0, 3)) {
                case 0: broken[at] = static_cast<char>(draw.whole(1, 255)); break;
                case 1: broken.erase(at, static_cast<std::size_t>(draw.whole(1, 60))); break;
                case 2:
                    broken.insert(
                        at, broken.substr(
                                static_cast<std::size_t>(draw.whole(0, static_cast<int>(broken.size()) - 40)), 40));
                    break;
                default: broken.replace(at, 1, "-1e308 "); break;
            }
        }
        try {
            const cell::Document d;
            const exchange::UrdfArm arm = exchange::read_urdf(room.put("broken.urdf", broken), d);
            const cell::Document next =
                d.edited(d.baseline(), exchange::urdf_edit(simulation::layout(d, d.baseline()), arm));
            simulation::layout(next, d.baseline()).shared_cell();
            cell::Document::parse(next.text());
            ++read;
        } catch (const cell::InputError& e) {
            CHECK_FALSE(e.problems().front().message.empty());
            ++refused;
        }
    }
    CHECK(read > 20);
    CHECK(refused > 100);
    // The same for a model as a file may hold it: values of the wrong kind anywhere.
    for (int round = 0; round < 400; ++round) {
        json model = tree["arm_models"][0];
        const json flat = model.flatten();
        auto it = flat.begin();
        std::advance(it, draw.whole(0, static_cast<int>(flat.size()) - 1));
        const json values[] = {nullptr, "text", -3, 1e99, json::array(), json::object(), true, json::array({1, "x"})};
        model[json::json_pointer(it.key())] = values[draw.whole(0, 7)];
        json whole_file = cell::Document().tree();
        whole_file["unfinished_models"] = json::array({model});
        try {
            const cell::Document d = cell::Document::parse(whole_file.dump());
            json kept = d.tree()["unfinished_models"][0];
            const cell::ModelDraft draft = cell::read_draft(kept, {});
            draft.frames({});
            std::map<std::string, double> shifts;
            for (std::size_t j = 0; j < draft.joints.size(); ++j)
                if (!draft.joints[j].fixed) cell::make_zero(kept, static_cast<int>(j), 0.1, shifts);
            cell::add_link(kept, 0, "slide");
            cell::remove_link(kept, 1);
            std::vector<cell::Problem> mistakes;
            cell::keep_model(simulation::layout(d, d.baseline()), kept, "x", {}, &mistakes);
        } catch (const cell::InputError&) {
        }
    }
}

TEST_CASE("names with control characters and markup leave a description that can be read again") {
    const Room room;
    cell::json tree = {{"arm_models", cell::catalogue_arms()}};
    cell::json* model = nullptr;
    for (json& m : tree["arm_models"])
        if (m["id"] == "six600") model = &m;
    REQUIRE(model);
    (*model)["name"] = std::string("A <\"&>\x01\x1f\n B");
    (*model)["links"][1]["name"] = std::string("shoulder\x02 <b>");
    (*model)["joints"][0]["name"] = std::string("J\x03\t1 & 2");
    const std::string file = (room.path / "odd.urdf").string();
    exchange::write_urdf(tree, "six600", file);
    const exchange::UrdfArm back = exchange::read_urdf(file, cell::Document());
    CHECK(back.model["joints"][0]["name"] == "J  1 & 2");
    CHECK(back.model["links"].size() >= (*model)["links"].size());
}
