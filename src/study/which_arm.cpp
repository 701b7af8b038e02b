#include "which_arm.h"

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>
#include <tbb/parallel_for.h>

#include <cell/edits/poses.h>
#include <cell/model/catalogue.h>
#include <inspection/base_field.h>
#include <simulation/kinds.h>

namespace escarp::study {
namespace {

using cell::json;

int index_of(const cell::Cell& cell, const std::string& arm) {
    const int index = cell.device(arm);
    if (index < 0 || !cell.devices[index].arm)
        throw cell::InputError(arm, "\"" + arm + "\" is not the id of an arm of this cell.");
    return index;
}

Mounted mounted(const Evaluation& e, int arm, cell::Edit edit) {
    Mounted m;
    m.edit = std::move(edit);
    for (const inspection::PoseNeed& n : e.inspection->poses) {
        if (n.arm != arm) continue;
        ++m.poses;
        m.reached += n.reached;
        m.margin_m = std::min(m.margin_m.value_or(1e300), n.reach.margin);
    }
    // Poses stored as joint values are reached by definition; for other arms they become places, and are counted among
    // them.
    const cell::Device& d = e.cell->devices[arm];
    for (const cell::Step* s : cell::all_steps(d))
        if (s->enabled && s->kind->reach() == cell::Reach::pose && d.pose(s->pose)->joints) ++m.poses, ++m.reached;
    if (m.reached == m.poses) m.cycle_s = e.figures.cycle_s;
    return m;
}

/// Moves what the arm stands on over the floor, and turns the arm.
void stand_at(const cell::Cell& cell, int arm, const geometry::Frame& base, double turn, cell::Edit& edit) {
    const cell::Device& d = cell.devices[arm];
    const int root = inspection::movable_root(cell, arm);
    const cell::Device& r = cell.devices[root];
    const geometry::Frame host = r.host >= 0 ? cell.devices[r.host].mount_world() : geometry::Frame::Identity();
    const geometry::Vector3 placed =
        r.placement.translation() + host.linear().transpose() * (base.translation() - d.world.translation());
    const auto tenth = [](double v) { return std::round(v * 1e4) / 10; };
    edit.operations.push_back(cell::Operation::set(cell::at_device(r.id) / "placement" / "x_mm", tenth(placed.x())));
    edit.operations.push_back(cell::Operation::set(cell::at_device(r.id) / "placement" / "y_mm", tenth(placed.y())));
    if (std::abs(turn) > 1e-9)
        edit.operations.push_back(cell::Operation::set(cell::at_device(d.id) / "placement" / "turn_deg",
            std::round((geometry::to_triple(d.placement.linear()).z() + turn) * 180 / geometry::pi * 10) / 10));
}

/// The task given to one model, where the arm stands and at its best base. `now`: how it is, if the model is there now.
ArmChoice tried(const cell::Layout& layout, const std::string& arm, int index, const json& model,
    const std::shared_ptr<const Evaluation>& now, inspection::Cache& cache, const EvaluateOptions& options) {
    ArmChoice c;
    c.id = model["id"];
    c.name = model.value("name", c.id);
    c.payload = model.value("payload_kg", 0.0);
    c.present = now != nullptr;
    const cell::Edit edit = now ? cell::Edit{"", {}} : swap_arm(layout, arm, model);
    const auto here = now ? now : evaluate(layout.edited(edit), cache, options);
    const cell::Device& d = here->cell->devices[index];
    c.solver = d.arm->solver->name();
    c.here = mounted(*here, index, edit);
    const inspection::BaseField field =
        inspection::base_field(*here->cell, index, here->inspection->poses, {.stop = options.stop});
    if (field.best < 0) return c;
    const geometry::Frame base = field.base_at(field.best, d.world);
    const double turn = field.turns[field.turn[field.best]] - field.turns.front();
    cell::Edit best = edit;
    best.name = "Swap " + d.name + " for " + c.name + " at its best base";
    stand_at(*here->cell, index, base, turn, best);
    c.best_x = base.translation().x(), c.best_y = base.translation().y(),
    c.best_turn = geometry::to_triple(base.linear()).z();
    c.best = mounted(*evaluate(layout.edited(best), cache, options), index, best);
    return c;
}

}  // namespace

cell::Edit swap_arm(const cell::Layout& layout, const std::string& arm, const json& model) {
    const json& tree = layout.tree();
    const cell::Device& d = layout.cell().devices[index_of(layout.cell(), arm)];
    const std::string id = model["id"];
    cell::Edit edit{"Swap " + d.name + " for " + model.value("name", id), {}};
    if (!cell::find(tree, cell::Path("arm_models") / id))
        edit.operations.push_back(cell::Operation::add("/arm_models", model));
    const cell::Path at = cell::at_device(arm);
    for (const cell::Pose& p : d.poses)
        if (p.joints) {
            const cell::Edit moved = cell::rehost_pose(layout, arm, p.id, {});
            edit.operations.insert(edit.operations.end(), moved.operations.begin(), moved.operations.end());
        }
    for (const char* key : {"ready", "ready_deg"})
        if (cell::find(tree, at / key)) edit.operations.push_back(cell::Operation::remove(at / key));
    edit.operations.push_back(cell::Operation::set(at / "model", id));
    return edit;
}

std::vector<ArmChoice> which_arm(const cell::Layout& layout, const std::string& arm, inspection::Cache& cache,
    const std::function<void(double)>& progress, const inspection::StopFlag* stop) {
    const json& tree = layout.tree();
    EvaluateOptions options;
    options.level = inspection::Level::reach;  // how near things come is not asked
    options.stop = stop;
    const auto now = evaluate(layout, cache, options);
    const int index = index_of(*now->cell, arm);
    const cell::Device& present = now->cell->devices[index];
    double load = 0;
    for (const cell::PartType& t : now->cell->part_types) load = std::max(load, t.mass);
    double tools = 0;
    for (const cell::MountedTool& t : present.arm->tools) tools += t.model->mass;
    load = present.task.empty() ? tools : load + tools;

    std::vector<json> models;
    if (const json* own = cell::find(tree, "/arm_models"))
        for (const json& m : *own) models.push_back(m);
    for (const json& m : cell::catalogue_arms())
        if (std::none_of(models.begin(), models.end(), [&](const json& o) { return o["id"] == m["id"]; }))
            models.push_back(m);

    // Each model has a cache of its own: arms share no poses and no ways.
    std::vector<ArmChoice> choices(models.size());
    std::atomic<int> done = 0;
    std::mutex telling;
    tbb::parallel_for(
        tbb::blocked_range<std::size_t>(0, models.size(), 1),
        [&](const auto& range) {
            for (std::size_t i = range.begin(); i < range.end(); ++i) {
                inspection::Cache own;
                const bool present = models[i]["id"] == now->cell->devices[index].arm->model->id;
                choices[i] =
                    tried(layout, arm, index, models[i], present ? now : nullptr, present ? cache : own, options);
                choices[i].load = load;
                const double share = static_cast<double>(++done) / static_cast<double>(models.size());
                const std::lock_guard<std::mutex> hold(telling);
                if (progress) progress(share);
            }
        },
        tbb::simple_partitioner());
    const auto cycle = [](const ArmChoice& c) {
        return std::min(c.here.cycle_s.value_or(1e9), c.best ? c.best->cycle_s.value_or(1e9) : 1e9);
    };
    std::stable_sort(choices.begin(), choices.end(), [&](const ArmChoice& a, const ArmChoice& b) {
        return a.present != b.present ? a.present : cycle(a) < cycle(b);
    });
    return choices;
}

}  // namespace escarp::study
