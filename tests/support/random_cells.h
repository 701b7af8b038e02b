#pragma once
// Cells drawn at random: arms of several models between belts, fixtures, trays and sensors, with tasks that use every
// kind of step but a change of tools. Most of them run; some have poses out of reach, contacts, waits that never end.
// The same seed gives the same cell.

#include "cells.h"
#include "random.h"

namespace escarp::tests {

class RandomCell {
public:
    explicit RandomCell(unsigned seed) : draw_(seed) {}

    json tree() {
        json cell = {{"escarp", 1}, {"horizon_s", 150}, {"takt_s", 8}, {"safety_distance_mm", draw_.whole(0, 3) * 10},
            {"seed", draw_.whole(1, 1000)}, {"part_types", json::array()}, {"arm_models", cell::catalogue_arms()},
            {"tool_models", cell::catalogue_tools()}};
        for (int i = 0; i < 2; ++i) cell["part_types"].push_back(part(i));
        cell["tool_models"].push_back({{"id", "cup"}, {"name", "Cup"}, {"mass_kg", 0.4}, {"close_s", 0.2},
            {"open_s", 0.1}, {"force_N", 60}, {"faces", 1}, {"suction", true}, {"tool_frame", {{"at_mm", {0, 0, 90}}}},
            {"bodies", {{{"shape", "cylinder"}, {"diameter_mm", 30}, {"height_mm", 88}}}}});
        const int stations = draw_.whole(1, 2);
        for (int i = 0; i < stations; ++i) station(i);
        for (int i = draw_.whole(0, 3); i > 0; --i) obstacle(i);
        cell["devices"] = std::move(devices_);
        if (draw_.whole(0, 3) == 0) cell["excluded_pairs"] = {{{"a", "arm0"}, {"b", "in0"}, {"reason", "drawn"}}};
        cell["blocks"] = {
            {{"id", "b"}, {"name", "Pause"}, {"steps", {{{"id", "b1"}, {"do", "delay"}, {"time_s", 0.2}}}}}};
        return cell;
    }

private:
    json part(int i) {
        const double across = std::round(draw_.in(40, 90)), height = std::round(draw_.in(20, 70));
        const json body = draw_.whole(0, 1)
                              ? json{{"shape", "box"}, {"size_mm", {across, across, height}}}
                              : json{{"shape", "cylinder"}, {"diameter_mm", across}, {"height_mm", height}};
        json p = {{"id", "p" + std::to_string(i)}, {"name", "Part " + std::to_string(i)}, {"mass_kg", draw_.in(0.1, 3)},
            {"bodies", {body}}};
        p["grips"] = {{{"id", "top"}, {"at_mm", {0, 0, height - 5}}, {"turn_deg", {180, 0, 0}}},
            {{"id", "turned"}, {"at_mm", {0, 0, height}}, {"turn_deg", {180, 0, 90}}}};
        return p;
    }
    json at(double x, double y, double z = 0, double turn = 0) {
        return {{"x_mm", x}, {"y_mm", y}, {"z_mm", z}, {"turn_deg", turn}};
    }
    std::string name(const char* what) { return what + std::to_string(station_); }

    void belt(double x, double y, double height) {
        const double length = std::round(draw_.in(1000, 1400));
        json b = {{"id", name("belt")}, {"name", name("Belt ")}, {"kind", "conveyor"}, {"length_mm", length},
            {"width_mm", 200}, {"height_mm", height}, {"speed_mm_s", std::round(draw_.in(80, 300))},
            {"gap_mm", draw_.whole(0, 3) * 10}};
        const bool bent = draw_.whole(0, 7) == 0;
        if (bent) b["bend_deg"] = draw_.whole(0, 1) ? 90 : -60, b["radius_mm"] = 400, b["after_mm"] = 300;
        b["placement"] = at(x - (bent ? 900 : 600), y, 0, draw_.whole(-1, 1) * 5);
        devices_.push_back(std::move(b));
        devices_.push_back({{"id", name("in")}, {"name", name("Infeed ")}, {"kind", "infeed"}, {"host", name("belt")},
            {"interval_s", 0.5 * draw_.whole(6, 16)}, {"part_type", "p" + std::to_string(draw_.whole(0, 1))},
            {"to", name("belt")}, {"length_mm", 200}, {"width_mm", 250}, {"height_mm", 200},
            {"placement", at(-400, 0)}});
        devices_.push_back({{"id", name("beam")}, {"name", name("Beam ")}, {"kind", "beam"}, {"host", name("belt")},
            {"span_mm", 240}, {"beam_height_mm", 15}, {"on_delay_s", draw_.whole(0, 1) * 0.1},
            {"placement", at(0.5 * length - 30, 0)}});
    }

    void station(int i) {
        station_ = i;
        static const char* const models[] = {
            "six600", "six900", "six900", "six1400", "offset850", "scara650", "pallet2100", "seven800"};
        const std::string model = models[draw_.whole(0, 5) ? draw_.whole(0, 6) : 7];
        const bool upright = model == "scara650" || model == "pallet2100";
        const double x = 2600 * i, far = model == "six1400" || model == "pallet2100" ? 950 : 520,
                     work = upright ? 300 : 600;
        devices_.push_back(
            {{"id", name("ped")}, {"name", name("Pedestal ")}, {"kind", "structure"}, {"shape", "pedestal"},
                {"length_mm", 320}, {"width_mm", 320}, {"height_mm", work}, {"placement", at(x, 0)}});
        belt(x, -far, work);
        devices_.push_back({{"id", name("fix")}, {"name", name("Fixture ")}, {"kind", "fixture"}, {"length_mm", 260},
            {"width_mm", 180}, {"height_mm", work}, {"columns", draw_.whole(0, 5) ? 1 : 2}, {"pitch_x_mm", 110},
            {"process_s", draw_.in(0.5, 4)}, {"starts", draw_.whole(0, 4) ? "each nest" : "all nests"},
            {"placement", at(x + far + draw_.in(-60, 100), draw_.in(-60, 60), 0, draw_.whole(-2, 2) * 15)}});
        json& fixture = devices_.back();
        if (draw_.whole(0, 2) == 0) fixture["reject_every"] = draw_.whole(2, 5);
        else if (draw_.whole(0, 4) == 0) fixture["reject_pct"] = 20;
        const bool tray = draw_.whole(0, 1);
        if (tray)
            devices_.push_back({{"id", name("out")}, {"name", name("Tray ")}, {"kind", "tray"}, {"use", "collect"},
                {"columns", 2}, {"rows", 2}, {"pitch_x_mm", 110}, {"pitch_y_mm", 110}, {"plate_mm", 20},
                {"exchange_s", draw_.in(0.5, 4)}, {"placement", at(x - 60, far, work - 20)}});
        else
            devices_.push_back({{"id", name("out")}, {"name", name("Bin ")}, {"kind", "outfeed"},
                {"shape", draw_.whole(0, 1) ? "bin" : "chute"}, {"length_mm", 400}, {"width_mm", 300},
                {"height_mm", work - 150}, {"placement", at(x, far + 100)}});
        json arm = {{"id", name("arm")}, {"name", name("Arm ")}, {"kind", "arm"}, {"host", name("ped")},
            {"model", model}, {"tool", draw_.whole(0, 1) ? "jaw60" : "cup"}, {"own_signals", {"free"}},
            {"speed_pct", draw_.whole(5, 10) * 10}, {"gentle_carry", draw_.whole(0, 3) == 0},
            {"detours", draw_.whole(0, 3) != 0}};
        const double tip = upright ? 250 : 350;
        arm["poses"] = {{{"id", "above"}, {"name", "Above"}, {"relative_to", name("fix")},
            {"at_mm", {0, 0, work + tip - 150}}, {"turn_deg", {180, 0, 0}}}};
        arm["task"] = task();
        if (draw_.whole(0, 4) == 0) arm["more_tools"] = {{{"tool", "jaw60"}, {"at_mm", {0, 70, 0}}}};
        devices_.push_back(std::move(arm));
    }

    json step(const char* what, json more = json::object()) {
        json s = {{"id", "s" + std::to_string(++steps_)}, {"do", what}};
        s.update(more);
        return s;
    }
    /// A pick or place, with what may be said of its motion.
    json exchange(const char* what, const char* key, const std::string& where) {
        json s = step(what, {{key, where}});
        if (draw_.whole(0, 2) == 0) s["approach_mm"] = draw_.whole(0, 6) * 20;
        if (draw_.whole(0, 2) == 0) s["corner_mm"] = draw_.whole(1, 4) * 20;
        if (draw_.whole(0, 3) == 0) s["speed_pct"] = draw_.whole(2, 9) * 10;
        if (draw_.whole(0, 3) == 0) s["straight_speed_pct"] = draw_.whole(2, 9) * 10;
        if (draw_.whole(0, 3) == 0) s["turn_deg"] = draw_.whole(-2, 2) * 45;
        if (std::string(what) == "pick" && draw_.whole(0, 3) == 0) s["grip"] = "turned";
        return s;
    }
    json move() {
        json s = step("move", {{"pose", "above"}, {"by", draw_.whole(0, 2) ? "joint" : "straight"}});
        if (draw_.whole(0, 1)) s["corner_mm"] = draw_.whole(1, 5) * 20;
        return s;
    }

    json task() {
        steps_ = 0;
        json t = json::array();
        if (draw_.whole(0, 1)) t.push_back(step("wait", {{"signal", name("beam") + ".made"}, {"is", true}}));
        t.push_back(exchange("pick", "from", name("belt")));
        if (draw_.whole(0, 2) == 0)
            t.push_back(step("set", {{"signal", name("arm") + ".free"}, {"to", draw_.whole(0, 1) == 1}}));
        if (draw_.whole(0, 1)) t.push_back(move());
        t.push_back(exchange("place", "in", name("fix")));
        if (draw_.whole(0, 3) == 0) t.push_back(step("block", {{"block", "b"}}));
        if (draw_.whole(0, 3) == 0)
            t.push_back(step("repeat", {{"times", 2}, {"steps", {step("delay", {{"time_s", 0.1}})}}}));
        t.push_back(step("wait", {{"signal", name("fix") + ".done"}}));
        if (draw_.whole(0, 4) == 0) t.push_back(step("gripper", {{"to", "open"}}));
        if (draw_.whole(0, 4) == 0) t.push_back(step("act", {{"label", "blow"}, {"time_s", 0.3}}));
        t.push_back(exchange("pick", "from", name("fix")));
        if (draw_.whole(0, 1))
            t.push_back(step("if", {{"part", "reject"}, {"then", {exchange("place", "in", name("out"))}},
                                       {"else", {move(), exchange("place", "in", name("out"))}}}));
        else t.push_back(exchange("place", "in", name("out")));
        return t;
    }

    void obstacle(int i) {
        const double angle = draw_.in(-3.1, 3.1), far = draw_.in(450, 1300);
        devices_.push_back({{"id", "post" + std::to_string(i)}, {"name", "Post " + std::to_string(i)},
            {"kind", "structure"}, {"shape", "cabinet"}, {"length_mm", std::round(draw_.in(60, 250))},
            {"width_mm", std::round(draw_.in(60, 250))}, {"height_mm", std::round(draw_.in(500, 1400))},
            {"placement", at(far * std::cos(angle), far * std::sin(angle), 0, draw_.in(-90, 90))}});
    }

    Draw draw_;
    json devices_ = json::array();
    int station_ = 0, steps_ = 0;
};

}  // namespace escarp::tests
