#include "step_path.h"

#include <algorithm>

namespace escarp::desktop {

namespace {

bool moving(simulation::BlockKind kind) {
    using simulation::BlockKind;
    return kind == BlockKind::move || kind == BlockKind::straight || kind == BlockKind::straight_in ||
           kind == BlockKind::straight_out;
}

}  // namespace

std::vector<std::vector<geometry::Vector3>> step_path(const study::Evaluation& e, int device, const std::string& step) {
    std::vector<std::vector<geometry::Vector3>> out;
    const cell::Device& d = e.cell->devices[device];
    if (!d.arm) return out;
    int number = -1;
    for (const cell::Step* s : cell::all_steps(d))
        if (s->id == step) number = s->number;
    const simulation::Ticks from = e.run->steady ? e.run->steady->from : 0;
    int last = -1;
    bool inside = false;
    for (const simulation::Block& b : e.run->trace.blocks) {
        if (b.device != device || b.to == simulation::never) continue;
        const bool begins = b.step == number && last != number && b.from >= from;
        last = b.step;
        if (b.step != number && inside) break;  // one execution is enough
        inside = inside || begins;
        if (!inside || b.step != number) continue;
        if (!moving(b.kind)) continue;
        constexpr int pieces = 40;
        out.emplace_back();
        for (int i = 0; i <= pieces; ++i)
            out.back().push_back(
                e.run->trace.tool_frame(*e.cell, device, b.from + (b.to - b.from) * i / pieces).translation());
    }
    return out;
}

}  // namespace escarp::desktop
