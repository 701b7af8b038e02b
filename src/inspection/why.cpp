#include "why.h"

#include <algorithm>
#include <optional>

#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <geometry/indices.h>

namespace escarp::inspection {
namespace {

using simulation::Block;
using simulation::BlockKind;
using simulation::Ticks;
using simulation::WaitFor;

constexpr std::size_t longest = 20;

class Asking {
public:
    Asking(const cell::Cell& cell, const simulation::Run& run, Ticks t) : cell_(cell), run_(run), t_(t) {}

    Why from(int device) {
        Why why;
        while (device >= 0 && why.chain.size() < longest) {
            const auto seen = std::find_if(
                why.chain.begin(), why.chain.end(), [&](const WhyLink& link) { return link.device == device; });
            if (seen != why.chain.end()) {
                why.ring = true;
                why.back_to = static_cast<int>(seen - why.chain.begin());
                break;
            }
            const std::optional<WhyLink> link = at(device);
            if (!link) break;
            why.chain.push_back(*link);
            if (!link->waits) break;
            device = holds_up(*link);
        }
        return why;
    }

private:
    const std::vector<Block>& blocks() const { return run_.trace.blocks; }
    const std::string& name(int device) const { return cell_.devices[device].name; }

    /// What a device does now: a wait before all else, since it is asked why.
    std::optional<WhyLink> at(int device) const {
        int found = -1;
        for (std::size_t i = 0; i < blocks().size() && blocks()[i].from <= t_; ++i) {
            const Block& b = blocks()[i];
            if (b.device != device || b.to <= t_) continue;
            if (found < 0 || b.kind == BlockKind::wait) found = static_cast<int>(i);
        }
        if (found >= 0 && (blocks()[found].kind == BlockKind::wait || !stands_full(device)))
            return doing(device, found);
        return standing(device, found);
    }
    WhyLink doing(int device, int block) const {
        const Block& b = blocks()[block];
        WhyLink link{device, block, run_.trace.describe(cell_, b), b.kind == BlockKind::wait};
        if (link.waits) {
            link.words.replace(0, 4, "waits");
            return link;
        }
        if (b.kind == BlockKind::held) {
            link.words = "is " + link.words, link.waits = true;
            return link;
        }
        std::string part;
        if (b.part >= 0) part = " with " + cell_.part_types[run_.trace.parts[b.part].type].name;
        link.words = "is at \"" + link.words + "\"" + part;
        if (b.to != simulation::never) link.words += " until " + cell::fixed(simulation::seconds(b.to), 2) + " s";
        return link;
    }
    bool waits(int device) const {
        return std::any_of(blocks().begin(), blocks().end(), [&](const Block& b) {
            return b.device == device && b.kind == BlockKind::wait && b.from <= t_ && b.to > t_;
        });
    }
    /// Whether it only waits for somebody to take what it holds, or to bring it something.
    bool stands_full(int device) const { return condition(device) == simulation::Condition::blocked; }
    std::optional<simulation::Condition> condition(int device) const {
        std::optional<simulation::Condition> now;
        for (const auto& [when, what] : run_.trace.conditions[device])
            if (when <= t_) now = what;
        return now;
    }
    /// A device that does nothing by itself now: it is full, or empty.
    std::optional<WhyLink> standing(int device, int block) const {
        const auto now = condition(device);
        if (!now) return block >= 0 ? std::optional(doing(device, block)) : std::nullopt;
        WhyLink link{device, block, {}, false};
        if (*now == simulation::Condition::blocked)
            link.words = "stands full: nobody has taken what is in it", link.waits = true;
        else if (*now == simulation::Condition::starved)
            link.words = "is empty: nobody has brought anything", link.waits = true;
        else if (block >= 0) return doing(device, block);
        else link.words = "works";
        return link;
    }
    /// The device that has to do something before this one goes on.
    int holds_up(const WhyLink& link) const {
        if (link.block >= 0 && blocks()[link.block].kind == BlockKind::held) return blocks()[link.block].other;
        if (link.block >= 0 && blocks()[link.block].kind == BlockKind::wait) {
            const Block& b = blocks()[link.block];
            if (b.other >= 0 && b.other != link.device && waits(b.other)) return b.other;
            // A wait that ended: the one whose block let it go.
            if (b.to != simulation::never)
                for (std::size_t i = link.block + 1; i < blocks().size() && blocks()[i].from <= b.to; ++i)
                    if (blocks()[i].device == link.device && blocks()[i].from == b.to && blocks()[i].task == b.task &&
                        blocks()[i].cause >= 0 && blocks()[blocks()[i].cause].device != link.device)
                        return blocks()[blocks()[i].cause].device;
            return b.other != link.device ? b.other : -1;
        }
        return partner(link.device, stands_full(link.device));
    }
    /// Who takes from a device (or brings to it) next; where nobody does any more, who would.
    int partner(int device, bool takes) const {
        const BlockKind kind = takes ? BlockKind::grip : BlockKind::release;
        for (const Block& b : blocks())
            if (b.from >= t_ && b.kind == kind && b.other == device) return b.device;
        for (const int i : indices(cell_.devices)) {
            const cell::Device& d = cell_.devices[i];
            for (const cell::Step* s : cell::all_steps(d))
                if (s->device == device && s->kind->reach() == (takes ? cell::Reach::part : cell::Reach::seat))
                    return i;
            for (const auto& [key, id] : d.needs)
                if (!takes && cell_.device(id) == device) return i;
        }
        if (takes)
            for (const auto& [key, id] : cell_.devices[device].needs) return cell_.device(id);
        return -1;
    }

    const cell::Cell& cell_;
    const simulation::Run& run_;
    const Ticks t_;
};

}  // namespace

Why why(const cell::Cell& cell, const simulation::Run& run, int device, Ticks t) {
    return Asking(cell, run, t).from(device);
}

std::vector<int> waits_for_ever(const simulation::Run& run) {
    std::vector<int> all;
    const std::vector<Block>& blocks = run.trace.blocks;
    if (run.stuck || run.cut) return all;
    const Ticks by = run.steady ? run.steady->from : run.trace.end / 2;
    for (const int i : indices(blocks)) {
        const Block& b = blocks[i];
        if (b.kind != BlockKind::wait || b.step < 0 || b.to != simulation::never || b.from > by) continue;
        const auto works = [&](const Block& other) {
            return other.device == b.device && other.task == b.task && other.step >= 0 && &other != &b;
        };
        if (b.task == 0 || std::any_of(blocks.begin(), blocks.end(), works)) all.push_back(i);
    }
    return all;
}

std::string in_words(const cell::Cell& cell, const Why& why) {
    std::string out;
    for (const WhyLink& link : why.chain)
        out += (out.empty() ? "" : ", because ") + cell.devices[link.device].name + " " + link.words;
    if (why.ring)
        out += ", because " + cell.devices[why.chain[why.back_to].device].name +
               (why.back_to == 0 ? " waits: a ring" : " waits (see before): a ring");
    return out.empty() ? out : out + ".";
}

}  // namespace escarp::inspection
