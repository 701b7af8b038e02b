#include "scene.h"

#include <ranges>

#include <geometry/indices.h>

namespace escarp::simulation {
namespace {

/// For each device of `cell` which one of `other` has its id; -1: none.
std::vector<int> same_devices(const cell::Cell& cell, const cell::Cell& other) {
    std::vector<int> out;
    for (const std::size_t i : std::views::iota(std::size_t{0}, cell.devices.size())) {
        const std::string& id = cell.devices[i].id;
        out.push_back(i < other.devices.size() && other.devices[i].id == id ? static_cast<int>(i) : other.device(id));
    }
    return out;
}

}  // namespace

Scene::Scene(const cell::Cell& cell, const cell::Cell* ran, const Trace* trace, Ticks t, const Posed* posed)
    : cell_(&cell), ran_(trace ? ran : nullptr), trace_(ran ? trace : nullptr), t_(t), at_(cell.devices.size(), -1) {
    if (ran_) was_ = same_devices(cell, *ran_);
    for (const int device : indices(cell.devices)) {
        const cell::Device& d = cell.devices[device];
        if (!d.mover()) continue;
        const cell::Arm& arm = *d.mover();
        const int joints = arm.model->mechanism.size();
        Mover m{device, arm.ready, {}, d.world, d.world};
        const int there = ran_ ? was_[device] : -1;
        if (there >= 0 && ran_->devices[there].mover() &&
            ran_->devices[there].mover()->model->mechanism.size() == joints) {
            m.q = trace_->joints(*ran_, there, t_);
            m.holds = trace_->held_part(there, t_);
            m.also = trace_->also_held(there, t_);
        }
        if (posed && posed->device == d.id && posed->q.size() == joints) m.q = posed->q;
        arm.model->mechanism.link_frames(m.q, d.world, m.links);
        m.flange = m.links[arm.model->flange_link] * arm.model->flange;
        m.tool = m.flange * arm.tool_frame;
        at_[device] = static_cast<int>(movers_.size());
        movers_.push_back(std::move(m));
    }
    if (!trace_) return;
    const std::vector<int> now = same_devices(*ran_, cell);
    std::vector<int> types;  // of those that ran, among those that there are now
    for (const cell::PartType& type : ran_->part_types) types.push_back(cell.part_type(type.id));
    for (const int p : indices(trace_->parts)) {
        const PartRecord& record = trace_->parts[p];
        const Place* place = record.place(t_);
        if (!place || place->kind == Place::Kind::gone || types[record.type] < 0) continue;
        Part part{p, types[record.type], now[place->device], place->kind == Place::Kind::held, Frame::Identity(),
            trace_->result(p, t_)};
        if (part.held) {  // it goes with the tool as that is shown
            const Mover* holder = part.on < 0 ? nullptr : mover(part.on);
            if (!holder) continue;
            part.at = holder->tool * place->at();
        } else {
            trace_->part_frame(*ran_, p, t_, part.at);
        }
        parts_.push_back(std::move(part));
    }
}

bool Scene::is_on(int device, const std::string& signal) const {
    const int there = trace_ ? was_[device] : -1;
    if (there < 0) return false;
    const cell::Device& d = ran_->devices[there];
    for (const int i : indices(d.signals))
        if (d.signals[i].name == signal) return trace_->signals[d.first_signal + i].at(t_) != 0;
    return false;
}

}  // namespace escarp::simulation
