// What is called otherwise at the other end of a link.
#include <catch2/catch.hpp>

#include <link/names.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;

namespace {

/// The demo without tasks, so that its arms follow, and with names of its link.
json followers(const json& names) {
    json tree = tests::demo().resolved("A");
    for (json& d : tree["devices"]) d.erase("task"), d.erase("own_signals"), d.erase("first");
    tests::device(tree, "tester")["io"] = {{{"id", "hold"}, {"outside", true}}};
    tree["links"] = {{{"id", "bus"}, {"protocol", "MQTT"}, {"names", names}}};
    return tree;
}
std::string refusal(const json& names) {
    try {
        const auto c = tests::read(followers(names));
        link::NameMap(c->links[0], *c);
    } catch (const cell::InputError& error) {
        return error.what();
    }
    return "";
}

}  // namespace

TEST_CASE("joint values come through names, units, factors and offsets as they were sent") {
    tests::Draw draw(5);
    for (int round = 0; round < 50; ++round) {
        json names = json::array();
        const char* units[] = {"rad", "deg", "as it is"};
        double factor[6], offset[6];
        int unit[6];
        for (int j = 0; j < 6; ++j) {
            factor[j] = draw.whole(0, 1) ? -1 : draw.in(0.5, 2), offset[j] = draw.in(-90, 90),
            unit[j] = draw.whole(0, 2);
            names.push_back(
                {{"ours", "arm1.J" + std::to_string(j + 1)}, {"theirs", "axis " + std::to_string(7 * j % 6)},
                    {"unit", units[unit[j]]}, {"factor", factor[j]}, {"offset", offset[j]}});
        }
        const auto c = tests::read(followers(names));
        const link::NameMap map(c->links[0], *c);
        const cell::Device& arm = c->devices[static_cast<std::size_t>(c->device("arm1"))];
        double wanted[6];
        json message{{"names", json::array()}, {"values", json::array()}};
        for (int j = 0; j < 6; ++j) {
            wanted[j] = draw.in(-80, 80);  // degrees
            const double theirs = (wanted[j] - offset[j]) / factor[j];
            message["names"].push_back("axis " + std::to_string(7 * j % 6));
            message["values"].push_back(unit[j] == 0 ? theirs * geometry::pi / 180 : theirs);
        }
        message["names"].push_back("rail"), message["values"].push_back(1);
        const link::JointsRead read = link::joints_in(message.dump(), arm, map);
        REQUIRE(read.q);
        for (int j = 0; j < 6; ++j) CHECK((*read.q)[j] * 180 / geometry::pi == Approx(wanted[j]).margin(1e-9));
        CHECK(read.theirs == std::vector<std::string>{"rail"});
        // A joint that is not there is told by its name.
        message["names"][2] = "axis 99";
        const link::JointsRead lacking = link::joints_in(message.dump(), arm, map);
        CHECK_FALSE(lacking.q);
        CHECK(lacking.ours == std::vector<std::string>{"arm1.J3"});
    }
}

TEST_CASE("names of nothing are refused with what there is; a file that has them still opens") {
    CHECK(refusal({{{"ours", "arm1.J9"}, {"theirs", "x"}}}).find("J1, J2") != std::string::npos);
    CHECK(refusal({{{"ours", "nobody"}, {"theirs", "x"}}}).find("\"nobody\"") != std::string::npos);
    CHECK(refusal({{{"ours", "tester"}, {"theirs", "x"}}}).find("no arm") != std::string::npos);
    CHECK(refusal({{{"ours", "arm1"}, {"theirs", "robots/1"}}, {{"ours", "tester.hold"}, {"theirs", "x"}}}).empty());
    CHECK_THROWS_AS(tests::read(followers({{{"ours", "arm1"}, {"theirs", "x"}, {"factor", 0}}})), cell::InputError);
    CHECK_THROWS_AS(tests::read(followers({{{"ours", "arm1"}, {"theirs", "x"}}, {{"ours", "arm1"}, {"theirs", "y"}}})),
        cell::InputError);
}

TEST_CASE("what is heard is set beside the cell by likeness and order, and what is left over is listed") {
    const auto c = tests::read(followers(json::array()));
    const std::map<std::string, std::string> heard{
        {"plant/robot_arm1/state",
            R"({"names": ["shoulder", "lift", "elbow", "w1", "w2", "w3"], "values": [0.1, -0.4, 0.3, 0, 1.5, 0]})"},
        {"plant/press/tester_hold", "true"}, {"plant/weather", "12.5"}};
    const link::Counterparts all = link::counterparts(c->links[0], *c, heard);
    std::map<std::string, link::Counterpart> by;
    for (const link::Counterpart& one : all.ours) by[one.ours] = one;
    CHECK(by["arm1"].name.theirs == "plant/robot_arm1/state");
    CHECK(by["arm1.J1"].name.theirs == "shoulder");
    CHECK(by["arm1.J6"].name.theirs == "w3");
    CHECK(by["arm1.J2"].name.unit == "rad");
    CHECK(by["arm2"].name.theirs.empty());  // one message is of one arm
    CHECK(by["tester.hold"].name.theirs == "plant/press/tester_hold");
    CHECK(all.theirs == std::vector<std::string>{"plant/weather"});
    // Joints under their own names need none, and are not left over.
    const std::map<std::string, std::string> own{
        {"plant/robot_arm1/state", R"({"names": ["J1", "J2", "J3", "J4", "J5", "J6"], "values": [1, 2, 3, 4, 5, 6]})"}};
    const auto named = tests::read(followers({{{"ours", "arm1"}, {"theirs", "plant/robot_arm1/state"}}}));
    CHECK(link::counterparts(named->links[0], *named, own, link::Guess::none).theirs.empty());
    // Taken into the link, the same is said, and reads the message.
    const auto taken = tests::read(followers(link::names_json(all)));
    const link::NameMap map(taken->links[0], *taken);
    const cell::Device& arm = taken->devices[static_cast<std::size_t>(taken->device("arm1"))];
    const auto read = link::joints_in(heard.at("plant/robot_arm1/state"), arm, map);
    REQUIRE(read.q);
    CHECK((*read.q)[1] == Approx(-0.4));
    for (const link::Counterpart& one : link::counterparts(taken->links[0], *taken, heard).ours)
        if (!one.name.theirs.empty()) CHECK(one.said);
}
