#pragma once
// Contacts and the least clearance of a whole run the plain way: every body against every other at many instants, with
// nothing left out but what must touch (docs/model.md, "Clearance"), said here once more in its own words.

#include <algorithm>
#include <map>
#include <set>
#include <string>

#include <geometry/distance.h>
#include <simulation/run.h>

namespace escarp::tests {

struct SampledContacts {
    double least = 1e300;                   ///< of pairs whose distance counts, m
    std::map<std::string, double> deepest;  ///< by "arm:other": how deep they overlap more than they may at the most, m
    std::map<std::string, double> nearest;  ///< by "arm:other": least distance where it counts, m
};

class ContactSampler {
public:
    ContactSampler(const cell::Cell& cell, const simulation::Run& run, double step_s)
        : cell_(cell), trace_(run.trace), step_(step_s) {
        end_ = simulation::seconds(run.steady ? run.steady->from + run.steady->period : run.trace.end);
    }
    /// A stretch of it alone, with both its ends.
    ContactSampler(const cell::Cell& cell, const simulation::Run& run, double step_s, double from, double to)
        : cell_(cell), trace_(run.trace), step_(step_s), begin_(from), end_(to) {}
    SampledContacts look() {
        for (double t = begin_ + 0.5 * step_; t < end_; t += step_)
            for (std::size_t i = 0; i < cell_.devices.size(); ++i)
                if (cell_.devices[i].arm) look(static_cast<int>(i), static_cast<simulation::Ticks>(t * 1e9));
        return found_;
    }

private:
    struct Standing {
        const geometry::Body* body;
        geometry::Frame at;
        enum { link, tool, held } what;
        int link_number = -1;
    };
    static bool works(const simulation::Block& b) {
        return b.kind == simulation::BlockKind::straight_in || b.kind == simulation::BlockKind::straight_out ||
               b.kind == simulation::BlockKind::grip || b.kind == simulation::BlockKind::release;
    }
    void look(int arm, simulation::Ticks now) {
        const cell::Device& d = cell_.devices[arm];
        const simulation::Block* at_work = nullptr;
        // Until the straight move away is over; one that does not move away stays at its work,
        // and its next motion parts them.
        const simulation::MotionRecord *moves = nullptr, *before = nullptr;
        for (const simulation::MotionRecord& m : trace_.motions[arm])
            if (m.from <= now && (m.motion->duration() > 0 || (m.block >= 0 && works(trace_.blocks[m.block]))))
                before = moves, moves = &m;
        if (moves && before && before->block >= 0 && before->motion->duration() == 0 &&
            !(moves->block >= 0 && works(trace_.blocks[moves->block])) &&
            trace_.blocks[before->block].kind == simulation::BlockKind::straight_out &&
            simulation::seconds(now - moves->from) <= moves->motion->duration())
            at_work = &trace_.blocks[before->block];
        if (moves && moves->block >= 0 && works(trace_.blocks[moves->block])) {
            const simulation::Block& b = trace_.blocks[moves->block];
            if (b.kind != simulation::BlockKind::straight_out || moves->motion->duration() == 0 ||
                simulation::seconds(now - moves->from) <= moves->motion->duration())
                at_work = &b;
        }
        std::vector<geometry::Frame> frames;
        d.arm->model->mechanism.link_frames(trace_.joints(cell_, arm, now), d.world, frames);
        const int flange = d.arm->model->flange_link;
        std::vector<Standing> bodies;
        for (std::size_t l = 0; l < frames.size(); ++l)
            for (const geometry::Body& b : d.arm->model->mechanism.links[l].bodies)
                bodies.push_back({&b, frames[l] * b.at, Standing::link, static_cast<int>(l)});
        const geometry::Frame hand = frames[flange] * d.arm->model->flange;
        for (const geometry::Body& b : d.arm->tool_bodies) bodies.push_back({&b, hand * b.at, Standing::tool, flange});
        const int held = trace_.held_part(arm, now);
        geometry::Frame at;
        if (held >= 0 && trace_.part_frame(cell_, held, now, at))
            for (const geometry::Body& b : type(held).bodies) bodies.push_back({&b, at * b.at, Standing::held, flange});
        for (std::size_t i = 0; i < cell_.devices.size(); ++i)
            against_device(arm, bodies, static_cast<int>(i), at_work);
        for (std::size_t p = 0; p < trace_.parts.size(); ++p)
            if (static_cast<int>(p) != held) against_part(arm, bodies, static_cast<int>(p), now, at_work);
        against_own(arm, bodies);
        for (std::size_t i = 0; i < cell_.devices.size(); ++i)
            if (cell_.devices[i].mover() && static_cast<int>(i) != arm)
                against_mover(arm, bodies, static_cast<int>(i), now, at_work);
    }
    /// Another arm with its tool and what it holds, or what moves of a door or a table.
    void against_mover(int arm, const std::vector<Standing>& bodies, int other, simulation::Ticks now,
        const simulation::Block* at_work) {
        const cell::Device& d = cell_.devices[other];
        if (d.arm && other < arm) return;  // told by the other
        const cell::Arm& moves = *d.mover();
        std::vector<geometry::Frame> frames;
        moves.model->mechanism.link_frames(trace_.joints(cell_, other, now), d.world, frames);
        const bool here = at_work && at_work->other == other;
        const auto one = [&](const geometry::Body& b, const geometry::Frame& at, bool base) {
            for (const Standing& s : bodies) {
                if (base && s.what == Standing::link && s.link_number == 0) continue;  // both stand where they stand
                pair(arm, d.id, s, b, at, here && s.what == Standing::held ? 5e-4 : 0.0,
                    !(here && s.what != Standing::link));
            }
        };
        for (std::size_t l = 0; l < frames.size(); ++l)
            for (const geometry::Body& b : moves.model->mechanism.links[l].bodies)
                one(b, frames[l] * b.at, d.arm.has_value() && l == 0);
        const geometry::Frame hand = frames[moves.model->flange_link] * moves.model->flange;
        for (const geometry::Body& b : moves.tool_bodies) one(b, hand * b.at, false);
        geometry::Frame at;
        if (const int held = d.arm ? trace_.held_part(other, now) : -1;
            held >= 0 && trace_.part_frame(cell_, held, now, at))
            for (const geometry::Body& b : type(held).bodies) one(b, at * b.at, false);
    }
    void against_device(int arm, const std::vector<Standing>& bodies, int device, const simulation::Block* at_work) {
        const cell::Device& d = cell_.devices[device];
        if (device == arm || d.arm) return;
        const bool here =
            at_work && (at_work->other == device || (at_work->other >= 0 && cell_.stands_on(at_work->other, device)));
        const bool carries = cell_.devices[arm].host == device;
        for (const Standing& s : bodies) {
            if (s.what == Standing::link && s.link_number == 0) continue;  // the base stands where it stands
            for (const geometry::Body& b : d.bodies) {
                const geometry::Frame stands = d.world * b.at;
                // What the base stands on lies wholly below it.
                const bool ground = carries && geometry::bounds(b.shape, stands).high.z() <
                                                   cell_.devices[arm].world.translation().z() + 1e-3;
                const bool hand = s.what != Standing::link;
                if (ground && s.what == Standing::link && s.link_number == 1)
                    pair(arm, d.id, s, b, stands, 5e-4, false);
                else
                    pair(arm, d.id, s, b, stands,
                        at_work && at_work->other == device && s.what == Standing::held ? 5e-4 : 0.0, !(here && hand));
            }
        }
    }
    void against_part(int arm, const std::vector<Standing>& bodies, int part, simulation::Ticks now,
        const simulation::Block* at_work) {
        const simulation::Place* place = trace_.parts[part].place(now);
        geometry::Frame at;
        if (!place || place->kind != simulation::Place::Kind::still || !trace_.part_frame(cell_, part, now, at)) return;
        const bool this_one = at_work && at_work->part == part,
                   beside = at_work && at_work->other == place->device && !this_one;
        // What a supply brings while the arm is still on its way out is not there yet as far as that arm is concerned.
        const bool fresh = beside && place == &trace_.parts[part].places.front() &&
                           at_work->kind == simulation::BlockKind::straight_out && place->from >= at_work->from;
        for (const Standing& s : bodies) {
            if (this_one && s.what == Standing::tool) continue;
            if (fresh && s.what != Standing::link) continue;
            for (const geometry::Body& b : type(part).bodies)
                pair(arm, cell_.devices[place->device].id + ":part", s, b, at * b.at,
                    this_one || (beside && s.what == Standing::held) ? 5e-4 : 0.0,
                    !this_one && !(beside && s.what != Standing::link));
        }
    }
    void against_own(int arm, const std::vector<Standing>& bodies) {
        const std::string& id = cell_.devices[arm].id;
        for (std::size_t i = 0; i < bodies.size(); ++i)
            for (std::size_t k = i + 1; k < bodies.size(); ++k) {
                const Standing &a = bodies[i], &b = bodies[k];
                if (b.what == Standing::held && a.what == Standing::held) continue;
                if (b.what == Standing::held ? a.what == Standing::tool : std::abs(a.link_number - b.link_number) < 3)
                    continue;
                pair(arm, id, a, *b.body, b.at, b.what == Standing::held && a.link_number == flange(arm) ? 5e-4 : 0.0,
                    false);
            }
    }
    int flange(int arm) const { return cell_.devices[arm].arm->model->flange_link; }
    void pair(int arm, const std::string& other, const Standing& s, const geometry::Body& b, const geometry::Frame& at,
        double may_sink, bool counts) {
        const std::string key = cell_.devices[arm].id + ":" + other;
        double& nearest = nearest_[key];
        if (!known_.count(key)) known_.insert(key), nearest = 1e300;
        const double wanted = counts ? nearest : 0.0;
        const geometry::Separation gap =
            geometry::separation(s.body->shape, s.at, b.shape, at, nullptr, std::max(0.0, wanted));
        if (gap.distance <= 0) {
            double& deepest = found_.deepest[key];
            deepest = std::max(deepest, geometry::penetration(s.body->shape, s.at, b.shape, at) - may_sink);
        }
        if (!counts || gap.distance >= nearest) return;
        nearest = gap.distance;
        found_.nearest[key] = gap.distance;
        found_.least = std::min(found_.least, gap.distance);
    }
    const cell::PartType& type(int part) const { return cell_.part_types[trace_.parts[part].type]; }

    const cell::Cell& cell_;
    const simulation::Trace& trace_;
    const double step_;
    double begin_ = 0, end_ = 0;
    SampledContacts found_;
    std::map<std::string, double> nearest_;
    std::set<std::string> known_;
};

}  // namespace escarp::tests
