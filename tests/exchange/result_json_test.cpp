#include <catch2/catch.hpp>

#include <exchange/result_json.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

TEST_CASE("frames are written in mm and degrees with a quaternion that fits") {
    const geometry::Frame f = geometry::make_frame({0.1, -0.25, 1.5}, {geometry::pi, 0, geometry::pi / 6});
    const json j = exchange::frame_json(f);
    CHECK(j["at_mm"] == json::array({100.0, -250.0, 1500.0}));
    CHECK(j["turn_deg"][0].get<double>() == Approx(180));
    CHECK(j["turn_deg"][2].get<double>() == Approx(30));
    const auto& q = j["quaternion_wxyz"];
    const Eigen::Quaterniond quaternion(q[0].get<double>(), q[1].get<double>(), q[2].get<double>(), q[3].get<double>());
    CHECK((quaternion.toRotationMatrix() - f.linear()).norm() < 1e-8);
    CHECK(exchange::tidy(-1e-15) == 0.0);
    CHECK(!std::signbit(exchange::tidy(-1e-15)));
    CHECK(exchange::tidy(0.1 + 0.2) == 0.3);
}

TEST_CASE("a way out read back from the JSON does the same as the one in the program") {
    const cell::Document d = tests::demo();
    const auto c = tests::evaluated(d, "C");
    const json result = exchange::run_json(*c);
    int applied = 0;
    for (const json& finding : result["findings"])
        for (const json& way : finding["ways_out"]) {
            cell::Edit edit{way["label"], {}};
            for (const json& op : way["edit"]) edit.operations.push_back(cell::Operation::from_json(op, "edit"));
            const auto after = tests::evaluated(d.edited("C", edit), "C");
            CHECK(after->figures.poses_reached == after->figures.poses);
            ++applied;
        }
    CHECK(applied >= 2);
}

TEST_CASE("the JSON of a run and the figures are the same numbers") {
    const cell::Document d = tests::demo();
    const auto e = tests::evaluated(d, "B");
    const json r = exchange::run_json(*e);
    CHECK(r["variant_name"] == "Facing arms");
    CHECK(r["cycle_s"].get<double>() == Approx(*e->figures.cycle_s).margin(1e-9));
    CHECK(r["clearance"]["distance_mm"].get<double>() == Approx(*e->figures.clearance_m * 1e3).margin(1e-6));
    CHECK(r["reach"]["each"].size() == e->inspection->poses.size());
    CHECK(r["longest_chain"].size() == e->chain.size());
    double split = 0;
    for (const auto& [key, value] : r["cycle_split_s"].items()) split += value.get<double>();
    CHECK(split == Approx(*e->figures.cycle_s).margin(1e-6));
    for (const json& share : r["device_shares"])
        CHECK(share["busy"].get<double>() + share["waiting"].get<double>() + share["starved"].get<double>() +
                  share["blocked"].get<double>() ==
              Approx(1).margin(1e-6));
    CHECK(r["takt"]["met"] == true);
}

TEST_CASE("a part is listed once, on the device where the trace has it") {
    const cell::Document d = tests::demo();
    const auto e = tests::evaluated(d, "A");
    for (const double t : {0.0, 12.5, 33.3, 60.0, 100.0}) {
        const json s = exchange::state_json(*e, t);
        std::set<int> seen;
        for (const json& p : s["parts"]) {
            CHECK(seen.insert(p["part"].get<int>()).second);
            CHECK(e->cell->device(p["on"].get<std::string>()) >= 0);
            if (p["held"] == false)
                CHECK(p["at"]["at_mm"][2].get<double>() >= 700);  // on a belt or a fixture, not sunk
        }
        CHECK(s["signals"].size() == e->run->trace.signals.size());
        CHECK(s["arms"].size() == 2);
    }
}
