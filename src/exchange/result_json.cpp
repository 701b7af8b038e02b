#include "result_json.h"

#include <geometry/indices.h>
#include <simulation/kinds.h>
#include <simulation/scene.h>

#include <cmath>

namespace escarp::exchange {
namespace {

using geometry::degree;
using simulation::seconds;

json triple(const geometry::Vector3& v, double factor) {
    return json::array({tidy(v.x() * factor), tidy(v.y() * factor), tidy(v.z() * factor)});
}

template <typename Value>
json maybe(const std::optional<Value>& value, double factor = 1) {
    if (!value) return nullptr;
    return tidy(static_cast<double>(*value) * factor);
}

const char* reason(kinematics::ReachReason r) {
    switch (r) {
        case kinematics::ReachReason::reached: return "reached";
        case kinematics::ReachReason::too_far: return "too far";
        case kinematics::ReachReason::too_near: return "too near";
        case kinematics::ReachReason::orientation: return "orientation";
        case kinematics::ReachReason::joint_limit: return "joint limit";
    }
    return "";
}

json shares_json(const study::Evaluation& e) {
    json all = json::array();
    for (const study::Share& s : e.figures.shares) {
        all.push_back({{"device", e.cell->devices[s.device].id}, {"busy", tidy(s.busy)}, {"waiting", tidy(s.waiting)},
            {"starved", tidy(s.starved)}, {"blocked", tidy(s.blocked)}});
        if (s.down > 0) all.back()["down"] = tidy(s.down);
    }
    return all;
}

json reach_json(const study::Evaluation& e) {
    json poses = json::array();
    for (const inspection::PoseNeed& n : e.inspection->poses) {
        const cell::Device& arm = e.cell->devices[n.arm];
        json p = {{"arm", arm.id}, {"step", n.step_id}, {"pose", n.label}, {"reached", n.reached},
            {"margin_mm", tidy(n.reach.margin * 1e3)}};
        p["reason"] = n.pose_reached && !n.reached ? "straight move fails" : reason(n.reach.reason);
        if (n.reach.tightest_joint >= 0) {
            const kinematics::Joint& tightest = arm.arm->model->mechanism.joints[n.reach.tightest_joint];
            const bool hinge = tightest.type == kinematics::JointType::hinge;
            p["tightest_joint"] = tightest.name;
            p[hinge ? "joint_margin_deg" : "joint_margin_mm"] = tidy(n.reach.joint_margin / (hinge ? degree : 1e-3));
            p["singularity_distance"] = tidy(n.reach.singularity);
        }
        for (const inspection::WindowPlace& w : n.window)
            p["window"].push_back(
                {{"way_mm", tidy(1e3 * w.way)}, {"reached", w.reached}, {"margin_mm", tidy(1e3 * w.margin)}});
        poses.push_back(std::move(p));
    }
    return {{"poses", e.figures.poses}, {"reached", e.figures.poses_reached},
        {"least_margin_mm", maybe(e.figures.least_margin_m, 1e3)}, {"each", std::move(poses)}};
}

json clearance_json(const study::Evaluation& e) {
    const auto one = [&](const inspection::LeastClearance& c) -> json {
        return {{"distance_mm", tidy(c.distance * 1e3)}, {"at_s", tidy(c.when_s)},
            {"between", json::array({c.body_a, c.body_b})},
            {"devices", json::array({e.cell->devices[c.device_a].id, e.cell->devices[c.device_b].id})}};
    };
    const inspection::Inspection& i = *e.inspection;
    json close = json::array();
    for (const auto& pair : i.close_pairs) close.push_back(one(pair));
    json out = i.clearance.device_a >= 0 ? one(i.clearance) : json{{"distance_mm", nullptr}};
    out["closer_than_safety_distance"] = std::move(close);
    out["body_pairs"] = i.pairs_checked;
    out["checked_s"] = tidy(i.checked_s);
    return out;
}

json chain_json(const study::Evaluation& e) {
    json all = json::array();
    for (auto link = e.chain.rbegin(); link != e.chain.rend(); ++link) {
        const simulation::Block& b = e.run->trace.blocks[link->block];
        all.push_back({{"device", e.cell->devices[b.device].id}, {"what", e.run->trace.describe(*e.cell, b)},
            {"from_s", tidy(seconds(link->from))}, {"to_s", tidy(seconds(link->to))}});
    }
    return all;
}

}  // namespace

double tidy(double value) {
    const double rounded = std::round(value * 1e9) / 1e9;
    return rounded == 0 ? 0.0 : rounded;
}

json frame_json(const geometry::Frame& f) {
    const Eigen::Vector4d q = geometry::to_quaternion(f.linear());
    return {{"at_mm", triple(f.translation(), 1e3)}, {"turn_deg", triple(geometry::to_triple(f.linear()), 1 / degree)},
        {"quaternion_wxyz", json::array({tidy(q[0]), tidy(q[1]), tidy(q[2]), tidy(q[3])})}};
}

json finding_json(const inspection::Finding& f) {
    json j = {{"id", f.id}, {"severity", inspection::word(f.severity)}, {"title", f.title}, {"text", f.text},
        {"devices", f.devices}};
    if (!f.step.empty()) j["step"] = f.device + "/" + f.step;
    if (f.when_s) j["at_s"] = tidy(*f.when_s);
    json ways = json::array();
    for (const inspection::WayOut& w : f.ways_out) {
        json operations = json::array();
        for (const cell::Operation& op : w.edit.operations) operations.push_back(op.to_json());
        ways.push_back({{"label", w.label}, {"effect", w.effect}, {"edit", std::move(operations)}});
    }
    j["ways_out"] = std::move(ways);
    if (!f.steps.empty()) {
        json steps = json::array();
        for (const inspection::FindingStep& s : f.steps)
            steps.push_back({{"what", s.words}, {"at_s", s.when_s ? json(tidy(*s.when_s)) : json()}});
        j["steps"] = std::move(steps);
    }
    return j;
}

json run_json(const study::Evaluation& e) {
    const study::Figures& f = e.figures;
    json out = {{"cell", e.cell->name}, {"variant", e.layout.variant()}, {"cycle_s", maybe(f.cycle_s)},
        {"cycle_of", f.per_round ? "round" : "part"}, {"steady", f.steady}, {"warm_up_s", tidy(f.warm_up_s)},
        {"rate_per_h", maybe(f.rate_per_h)}};
    for (const cell::VariantInfo& v : e.layout.document().variants())
        if (v.id == e.layout.variant()) out["variant_name"] = v.name;
    out["takt"] = {{"demanded_s", e.cell->takt > 0 ? json(tidy(e.cell->takt)) : json(nullptr)},
        {"met", f.takt_met ? json(*f.takt_met) : json(nullptr)}};
    out["reach"] = reach_json(e);
    out["clearance"] = clearance_json(e);
    json split = json::object();
    for (const auto& [category, s] : f.split_s) split[study::word(category)] = tidy(s);
    out["cycle_split_s"] = std::move(split);
    out["waiting"] = maybe(f.waiting);
    out["waits_most"] = f.waits_most;
    out["part_waits"] = {{"at", f.part_waits_at}, {"s", tidy(f.part_waits_s)}};
    out["arm_travel_per_part_mm"] = maybe(f.travel_m, 1e3);
    out["floor_m2"] = tidy(f.floor_m2);
    out["device_shares"] = shares_json(e);
    out["longest_chain"] = chain_json(e);
    out["parts"] = {{"entered", e.run->trace.parts.size()}, {"left", e.run->trace.departures.size()},
        {"run_s", tidy(seconds(e.run->trace.end))}};
    json findings = json::array();
    for (const auto& finding : e.inspection->findings) findings.push_back(finding_json(finding));
    for (const inspection::Passing& p : e.inspection->passings)
        out["meets"].push_back({{"arm", e.cell->devices[p.arm].id}, {"step", p.step_id},
            {"on", e.cell->devices[p.carrier].id}, {"taken", p.taken}, {"missed", p.missed}});
    out["findings"] = std::move(findings);
    if (!e.layout.lost().empty()) out["differences_without_target"] = e.layout.lost();
    for (const cell::Problem& p : e.cell->unknown_keys)
        out["unknown_keys"].push_back({{"at", p.where}, {"message", p.message}});
    return out;
}

json compare_json(
    const cell::Document& document, inspection::Cache& cache, const study::EvaluateOptions& options, bool complete) {
    json all = json::array();
    std::optional<double> base_cycle;
    const auto base = study::evaluate(simulation::layout(document, document.baseline()), cache, options);
    for (const cell::VariantInfo& v : document.variants()) {
        auto e = study::evaluate(simulation::layout(document, v.id), cache, options);
        if (complete) e = study::with_zones(*e, cache, options.stop, true);
        json one = run_json(*e);
        one.erase("longest_chain");
        one["reach"].erase("each");
        json differs = json::array();
        for (const cell::Operation& op : document.differences(v.id)) differs.push_back(op.to_json());
        one["differs"] = std::move(differs);
        const auto against = [&](const std::optional<double>& a, const std::optional<double>& b,
                                 double factor) -> json {
            return a && b ? json(tidy((*a - *b) * factor)) : json(nullptr);
        };
        if (v.id != document.baseline())
            one["against_baseline"] = {{"cycle_s", against(e->figures.cycle_s, base->figures.cycle_s, 1)},
                {"least_margin_mm", against(e->figures.least_margin_m, base->figures.least_margin_m, 1e3)},
                {"clearance_mm", against(e->figures.clearance_m, base->figures.clearance_m, 1e3)},
                {"floor_m2", tidy(e->figures.floor_m2 - base->figures.floor_m2)}};
        all.push_back(std::move(one));
    }
    return {{"cell", document.name()}, {"baseline", document.baseline()}, {"variants", std::move(all)}};
}

json trace_json(const study::Evaluation& e, double from_s, double to_s) {
    constexpr std::size_t most = 100'000;
    json all = json::array();
    std::size_t left_out = 0;
    for (const simulation::Block& b : e.run->trace.blocks) {
        if (seconds(b.from) > to_s || (b.to != simulation::never && seconds(b.to) < from_s)) continue;
        if (all.size() >= most) {
            ++left_out;
            continue;
        }
        const cell::Device& d = e.cell->devices[b.device];
        json one = {{"device", d.id}, {"kind", simulation::word(b.kind)}, {"step", nullptr},
            {"from_s", tidy(seconds(b.from))},
            {"to_s", b.to == simulation::never ? json(nullptr) : json(tidy(seconds(b.to)))}};
        for (const cell::Step* s : cell::all_steps(d))
            if (s->number == b.step) one["step"] = s->id;
        one["what"] = e.run->trace.describe(*e.cell, b);
        if (b.part >= 0) one["part"] = b.part;
        if (b.cause >= 0) one["cause"] = b.cause;
        all.push_back(std::move(one));
    }
    json out = {{"cell", e.cell->name}, {"end_s", tidy(seconds(e.run->trace.end))}, {"blocks", std::move(all)}};
    if (left_out > 0) out["blocks_left_out"] = left_out;
    return out;
}

json state_json(const study::Evaluation& e, double at_s) {
    const simulation::Ticks t = static_cast<simulation::Ticks>(std::llround(at_s * 1e9));
    const simulation::Trace& trace = e.run->trace;
    json arms = json::array(), movers = json::array(), parts = json::array(), signals = json::object();
    const simulation::Scene scene(*e.cell, trace, t);
    for (const simulation::Scene::Mover& m : scene.movers()) {
        const cell::Device& d = e.cell->devices[m.device];
        const kinematics::JointVector& q = m.q;
        const auto& joints = d.mover()->model->mechanism.joints;
        json values = json::array();
        for (int j = 0; j < q.size(); ++j)
            values.push_back(tidy(q[j] * (joints[j].type == kinematics::JointType::hinge ? 1 / degree : 1e3)));
        json also = json::array();
        for (const auto& more : m.also) also.push_back(more.part);
        json one = {{d.arm ? "arm" : "device", d.id}};
        if (d.arm) {
            one["joints"] = std::move(values);
            one["tool"] = frame_json(m.tool);
        } else {
            one[joints.front().type == kinematics::JointType::hinge ? "at_deg" : "at_mm"] = values.front();
        }
        one["holds"] = m.holds >= 0 ? json(m.holds) : json(nullptr);
        if (!also.empty()) one["also_holds"] = std::move(also);
        (d.arm ? arms : movers).push_back(std::move(one));
    }
    for (const simulation::Scene::Part& p : scene.parts())
        parts.push_back({{"part", p.part}, {"type", e.cell->part_types[p.type].id}, {"on", e.cell->devices[p.on].id},
            {"held", p.held}, {"at", frame_json(p.at)}, {"result", p.result}});
    for (std::size_t i = 0; i < trace.signals.size(); ++i) {
        const double value = trace.signals[i].at(t);
        signals[trace.signals[i].name] = e.cell->signals[i].on_off() ? json(value != 0) : json(value);
    }
    return {{"at_s", tidy(at_s)}, {"arms", std::move(arms)}, {"movers", std::move(movers)}, {"parts", std::move(parts)},
        {"signals", std::move(signals)}};
}

}  // namespace escarp::exchange
