// What a calibration changes in the cell, tried, and what the cell says of it afterwards.
#include <cmath>
#include <cstdio>

#include <cell/text/content_key.h>
#include <cell/text/names.h>
#include <cell/text/numbers.h>

#include "calibrate.h"

namespace escarp::study {

using cell::json;

cell::Edit calibration_edit(const cell::Layout& layout, const Calibration& calibration) {
    const cell::Cell& cell = layout.cell();
    const cell::Device& d = cell.devices[static_cast<std::size_t>(calibration.device)];
    const json& tree = layout.tree();
    cell::Edit edit{"Calibrate " + d.name, {}};
    bool shared = false;
    for (const json& other : tree["devices"])
        shared = shared || (other.value("model", "") == d.arm->model->id && other.value("id", "") != d.id);
    const json* old = cell::find(tree, "/arm_models/" + d.arm->model->id);
    if (!old) throw cell::InputError("devices/" + d.id, "The model of " + d.name + " is not in the file.");
    json model = *old;
    for (const Fitted& f : calibration.fitted) {
        if (!f.seen()) continue;
        // As exact as it is known, and a little more.
        const double digits = std::pow(10, std::floor(std::log10(std::max(1e-9, *f.within / 10))));
        const double value = std::round(f.after / digits) * digits;
        if (f.of == Fitted::Of::tool) {
            edit.operations.push_back(cell::Operation::set("/tool_models/" + f.where, value));
        } else if (f.of == Fitted::Of::step) {
            const bool spreads = f.moves >= 5 && f.spread > 0.02 && f.spread > 0.03 * f.after;
            const json time =
                spreads
                    ? json("normal " + cell::shortest(value) + ", " + cell::shortest(std::round(f.spread * 1e4) * 1e-4))
                    : json(value);
            edit.operations.push_back(cell::Operation::set("/" + f.where + "/time_s", time));
        } else if (f.where.rfind("joints/", 0) == 0) {
            const std::size_t slash = f.where.find('/', 7);
            for (json& joint : model["joints"])
                if (joint.value("name", "") == f.where.substr(7, slash - 7)) joint[f.where.substr(slash + 1)] = value;
        } else {
            model[f.where] = value;
        }
    }
    if (shared) {
        const std::string name = model.value("name", d.arm->model->id) + ", " + d.name;
        model["id"] = cell::free_id(tree, name), model["name"] = name;
        edit.operations.push_back(cell::Operation::add("/arm_models", model));
        edit.operations.push_back(cell::Operation::set("/devices/" + d.id + "/model", model["id"]));
    } else {
        for (const auto& [key, value] : model.items())
            if (!old->contains(key) || (*old)[key] != value)
                edit.operations.push_back(cell::Operation::set("/arm_models/" + d.arm->model->id + "/" + key, value));
    }
    return edit;
}

TriedCalibration try_calibration(const cell::Layout& layout, int device, const Measured& measured,
    inspection::Cache& cache, const EvaluateOptions& how) {
    EvaluateOptions options = how;
    options.level = inspection::Level::reach;
    TriedCalibration out;
    out.before = evaluate(layout, cache, options);
    out.found = calibrate(layout.cell(), *out.before->run, device, measured, how.stop);
    out.edit = calibration_edit(layout, out.found);
    const cell::Layout after = out.edit.operations.empty() ? layout : layout.edited(out.edit);
    out.after = evaluate(after, cache, options);
    out.round_after_s = round_of(*out.after->run, device, out.found.anchor_step, out.found.anchor_kind);
    const cell::Device& d = after.cell().devices[static_cast<std::size_t>(device)];
    if (const auto off = out.round_error_after())
        out.edit.operations.push_back(cell::Operation::set("/devices/" + d.id + "/calibrated",
            {{"moves", out.found.matched}, {"cycle_within_pct", std::ceil(1e4 * std::abs(*off)) / 100},
                {"limits", key_of_limits(*d.arm->model)}}));
    return out;
}

std::string key_of_limits(const kinematics::ArmModel& model) {
    cell::ContentKey key;
    for (const kinematics::Joint& j : model.mechanism.joints) key.add(j.speed).add(j.acceleration).add(j.jerk);
    key.add(model.line_speed).add(model.line_acceleration).add(model.settle);
    char text[20];
    std::snprintf(text, sizeof text, "%016llx", static_cast<unsigned long long>(key.value()));
    return text;
}

std::optional<double> calibrated_within(const cell::Cell& cell) {
    std::optional<double> out;
    for (const cell::Device& d : cell.devices)
        if (d.arm && d.arm->calibrated && d.arm->calibrated->limits == key_of_limits(*d.arm->model))
            out = std::max(out.value_or(0), d.arm->calibrated->cycle_within);
    return out;
}

std::string calibrated_words(const cell::Cell& cell) {
    int moves = 0, arms = 0, fitted = 0;
    double within = 0;
    for (const cell::Device& d : cell.devices) {
        if (!d.arm) continue;
        ++arms;
        if (!d.arm->calibrated || d.arm->calibrated->limits != key_of_limits(*d.arm->model)) continue;
        ++fitted, moves += d.arm->calibrated->moves;
        within = std::max(within, d.arm->calibrated->cycle_within);
    }
    if (fitted == 0) return {};
    std::string out = "calibrated on " + std::to_string(moves) + " moves, cycle within " +
                      cell::fixed(std::max(0.1, 100 * within), within < 0.0095 ? 1 : 0) + " %";
    if (fitted < arms) out += " (" + std::to_string(fitted) + " of " + std::to_string(arms) + " arms)";
    return out;
}

}  // namespace escarp::study
