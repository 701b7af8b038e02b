#include <catch2/catch.hpp>

#include <cell/edits/build_model.h>
#include <cell/model/catalogue.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;

namespace {

const geometry::Frame* frame_named(
    const cell::ModelDraft& d, const std::vector<geometry::Frame>& frames, const std::string& name) {
    for (std::size_t l = 0; l < d.links.size(); ++l)
        if (d.links[l].name == name) return &frames[l];
    return nullptr;
}

}  // namespace

TEST_CASE("a draft of every catalogue arm stands as the model itself does, at any joint values") {
    tests::Draw random(4);
    for (const json& model : cell::catalogue_arms()) {
        const cell::ModelDraft d = cell::read_draft(model, {});
        REQUIRE(d.problems.empty());
        const auto& m = d.model.mechanism;
        for (int round = 0; round < 20; ++round) {
            kinematics::JointVector q(m.size());
            std::map<std::string, double> values;
            for (int i = 0; i < m.size(); ++i)
                values[m.joints[i].name] = q[i] = random.in(m.joints[i].low, m.joints[i].high);
            const auto frames = d.frames(values);
            const geometry::Frame flange = frames[d.flange_link] * d.flange;
            CHECK(geometry::gap(flange, d.model.flange_frame(q)).distance < 1e-9);
            CHECK(geometry::gap(flange, d.model.flange_frame(q)).angle < 1e-7);
        }
    }
}

TEST_CASE("another zero position moves limits and followers along and leaves everything where it is") {
    json model;
    for (const json& m : cell::catalogue_arms())
        if (m["id"] == "pallet2100") model = m;
    const cell::ModelDraft before = cell::read_draft(model, {});
    for (int joint = 0; joint < static_cast<int>(before.joints.size()); ++joint) {
        json moved = model;
        std::map<std::string, double> shifts;
        std::map<std::string, double> values{{"J1", 0.3}, {"J2", 0.2}, {"J3", 0.4}, {"J4", -0.7}};
        cell::make_zero(moved, joint, before.value(joint, values), shifts);
        const cell::ModelDraft after = cell::read_draft(moved, {});
        CHECK(after.problems.empty());
        std::map<std::string, double> then = values;
        for (const auto& [name, shift] : shifts) then[name] -= shift;
        CHECK(after.value(joint, then) == Approx(0).margin(1e-7));
        const auto a = before.frames(values), b = after.frames(then);
        for (std::size_t l = 0; l < a.size(); ++l) {
            CHECK(geometry::gap(a[l], b[l]).distance < 1e-7);
            CHECK(geometry::gap(a[l], b[l]).angle < 1e-6);
        }
        CHECK(after.joints[joint].joint.high - after.joints[joint].joint.low ==
              Approx(before.joints[joint].joint.high - before.joints[joint].joint.low));
    }
}

TEST_CASE("a link taken out leaves the others where they were, and what is left makes sense") {
    for (const json& model : cell::catalogue_arms()) {
        const cell::ModelDraft before = cell::read_draft(model, {});
        const auto frames = before.frames({});
        for (int link = 1; link < static_cast<int>(before.links.size()); ++link) {
            json less = model;
            cell::remove_link(less, link);
            const cell::ModelDraft after = cell::read_draft(less, {});
            CHECK(after.links.size() + 1 == before.links.size());
            const auto now = after.frames({});
            for (const auto& l : after.links) {
                CHECK(l.hangs);
                const geometry::Frame *a = frame_named(before, frames, l.name), *b = frame_named(after, now, l.name);
                REQUIRE(a);
                REQUIRE(b);
                CHECK(geometry::gap(*a, *b).distance < 1e-6);
            }
        }
    }
}

TEST_CASE("links are added and taken out whatever keys a model has yet") {
    json whole = cell::begun_model("own", "Own arm");
    cell::add_link(whole, 0, "hinge");
    whole["ready_deg"] = {10};
    for (const auto& [left_out, value] : whole.items())
        for (const char* type : {"hinge", "slide", "fixed"}) {
            CAPTURE(left_out, type);
            json model = whole;
            model.erase(left_out);
            const std::size_t links = model.contains("links") ? model["links"].size() : 1;
            const int made = cell::add_link(model, 0, type);
            REQUIRE(model["links"].size() == links + 1);
            CHECK(model["joints"].back()["child"] == made);
            CHECK(model["joints"].back()["type"] == type);
            if (left_out != "ready_deg")
                CHECK(model[std::string(type) == "slide" ? "ready" : "ready_deg"].size() ==
                      (std::string(type) == "fixed" ? 1u : 2u));
            cell::remove_link(model, made);
            CHECK(model["links"].size() == links);
        }
}

TEST_CASE(
    "mistakes of a model are told with their place; it waits beside the whole ones and the cell keeps what it had") {
    cell::Document d;
    const auto keep = [&](const json& model, std::vector<cell::Problem>& mistakes) {
        mistakes.clear();
        d = d.edited(
            d.baseline(), cell::keep_model(simulation::layout(d, d.baseline()), model, "change", {}, &mistakes));
    };
    std::vector<cell::Problem> mistakes;
    json model = cell::begun_model("own", "Own");
    keep(model, mistakes);
    CHECK(mistakes.size() >= 1);
    CHECK(d.tree()["arm_models"].empty());
    CHECK(cell::find_model(d.tree(), "own"));
    cell::add_link(model, 0, "hinge");
    keep(model, mistakes);
    CHECK(mistakes.empty());
    CHECK(d.tree()["arm_models"].size() == 1);
    CHECK(d.tree()["unfinished_models"].empty());
    const auto expect = [&](const char* where, const char* words, const json& broken) {
        keep(broken, mistakes);
        REQUIRE(mistakes.size() == 1);
        CHECK(mistakes.front().where.find(where) == 0);
        CHECK(mistakes.front().message.find(words) != std::string::npos);
        CHECK(d.tree()["arm_models"][0] == model);
        CHECK(*cell::find_model(d.tree(), "own") == broken);
    };
    json broken = model;
    broken["joints"][0]["axis"] = {0, 0, 0};
    expect("joints/0/axis", "no length", broken);
    broken = model;
    broken["joints"][0]["max_deg"] = -100;
    expect("joints/0/max_deg", "reversed", broken);
    broken = model;
    broken["links"][1]["bodies"][0]["size_mm"] = {80, 0, 200};
    expect("links/1/bodies/0/size_mm", "no size", broken);
    broken = model;
    cell::add_link(broken, 1, "fixed");
    broken["joints"][0]["parent"] = 2;
    keep(broken, mistakes);
    CHECK(std::any_of(mistakes.begin(), mistakes.end(),
        [](const cell::Problem& p) { return p.message.find("no path to the base") != std::string::npos; }));
    CHECK_FALSE(cell::read_draft(broken, {}).links[1].hangs);
    // In use: a pose that the change would put out of its limits keeps it waiting.
    keep(model, mistakes);
    std::string id;
    d = d.edited(d.baseline(), cell::add_device(simulation::layout(d, d.baseline()), {"arm", "own", "Own"}, "", &id));
    CHECK(d.tree()["devices"][0].value("tool", "").empty());
    CHECK_THROWS_AS(cell::remove_model(simulation::layout(d, d.baseline()), "own"), cell::InputError);
    d = d.edited(d.baseline(), {"ready", {cell::Operation::set("/devices/" + id + "/ready_deg", {60})}});
    broken = model;
    broken["joints"][0]["max_deg"] = 45;
    keep(broken, mistakes);
    REQUIRE(mistakes.size() == 1);
    CHECK(mistakes.front().where.find(id) != std::string::npos);
    // A slide more on top: taught values follow, and change their key with the kind of value.
    json longer = model;
    cell::add_link(longer, 1, "slide");
    keep(longer, mistakes);
    CHECK(mistakes.empty());
    CHECK(d.tree()["devices"][0]["ready"] == json({60, 0}));
    CHECK_FALSE(d.tree()["devices"][0].contains("ready_deg"));
}
