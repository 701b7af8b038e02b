// A sensor that never switches, or that always is on: why, and a way out where there is one.

#include <algorithm>

#include <cell/model/device_kind.h>
#include <cell/model/expression.h>
#include <geometry/distance.h>
#include <simulation/kernel.h>

#include "../status.h"
#include "check.h"

namespace escarp::inspection {
namespace {

/// Why a camera never sees a part, and what would let it.
class Blind {
public:
    Blind(const Context& c, const cell::Device& d, const simulation::CameraView& view) : d_(d), view_(view) {
        const Frame to_camera = d.world.inverse();
        for (const simulation::PartRecord& part : c.run.trace.parts) {
            const bool known = view.types.empty() ||
                               std::find(view.types.begin(), view.types.end(), part.type) != view.types.end();
            for (const simulation::Place& p : part.places) {
                if (p.kind != simulation::Place::Kind::still) continue;
                const double ride = simulation::seconds(std::max<simulation::Ticks>(0, p.stop - p.from));
                constexpr int samples = 100;
                double inside = 0;
                for (int k = 0; k <= (p.glide().rests() ? 0 : samples); ++k) {
                    const bool within = note(to_camera * p.after(ride * k / samples).translation(), known);
                    inside += within ? ride / samples : 0;
                }
                if (known) longest_ = std::max(longest_, inside);
            }
        }
    }

    void tell(Finding& f) const {
        const cell::Path at = cell::at_device(d_.id);
        if (in_view_ && view_.hides) {
            f.text = "Parts that it knows pass its field of view, but something hides each of them.";
            f.ways_out.push_back({"Let it see hidden parts", "as if nothing stood between",
                {d_.name + " sees hidden parts", {cell::Operation::set(at / "hides", false)}}});
        } else if (in_view_) {
            const double every = std::max(0.001, std::floor(250 * longest_) / 1e3);  // four while it is there
            f.text = "Parts are in its field of view for " + short_number(longest_) +
                     " s at most, and it looks every " + cell::shortest(view_.every) + " s.";
            if (every < view_.every)
                f.ways_out.push_back({"Look every " + cell::shortest(every) + " s", "four times while a part is there",
                    {"More pictures of " + d_.name, {cell::Operation::set(at / "every_s", every)}}});
        } else if (unknown_in_view_) {
            f.text = "Parts pass its field of view, but none of a type that it knows.";
            f.ways_out.push_back({"Let it know every part", "it then sees whatever passes",
                {d_.name + " knows every part", {cell::Operation::remove(at / "knows")}}});
        } else {
            tell_where(f, at);
        }
    }

private:
    /// `p`: a part's origin, in the camera.
    bool note(const Vector3& p, bool known) {
        const double depth = -p.z(), wide = std::max(depth, 1e-9);
        const double aside = std::max(std::abs(p.x()) - view_.half_x * wide, std::abs(p.y()) - view_.half_y * wide);
        const bool in_depth = depth >= view_.near && depth <= view_.far;
        if (aside <= 0 && in_depth) return (known ? in_view_ : unknown_in_view_) = true, known;
        if (!known) return false;
        if (aside <= 0 && depth > 0) {  // under it: too near or too far
            const double by = depth < view_.near ? view_.near - depth : depth - view_.far;
            if (by < off_) off_ = by, depth_ = depth;
        } else if (in_depth && aside < aside_) {
            aside_ = aside, nearest_ = p;
        }
        return false;
    }
    void tell_where(Finding& f, const std::string& at) const {
        constexpr double margin = 0.02;
        if (off_ < 1e9 && depth_ > view_.far) {
            const double depth = std::ceil(1e3 * (depth_ + margin - view_.near));
            f.text = "Parts pass under it " + millimetres(off_) + " mm farther off than it sees.";
            f.ways_out.push_back({"Let it see " + cell::shortest(depth) + " mm far", "20 mm farther than the parts",
                {"More depth of " + d_.name, {cell::Operation::set(at + "/depth_mm", depth)}}});
        } else if (off_ < 1e9) {
            const double near = std::max(1.0, std::floor(1e3 * (depth_ - margin)));
            f.text = "Parts pass under it " + millimetres(off_) + " mm nearer than it sees.";
            f.ways_out.push_back({"Let it see from " + cell::shortest(near) + " mm on", "20 mm nearer than the parts",
                {"Nearer view of " + d_.name,
                    {cell::Operation::set(at + "/near_mm", near),
                        cell::Operation::set(at + "/depth_mm", std::ceil(1e3 * view_.far - near))}}});
        } else if (aside_ < 1e9) {
            f.text = "Parts pass beside its field of view, " + millimetres(aside_) + " mm away.";
            const Vector3 shift = d_.placement.linear() * Vector3(nearest_.x(), nearest_.y(), 0);
            const auto tenth = [](double metres) { return std::round(1e4 * metres) / 10; };
            const Vector3 there = d_.placement.translation() + shift;
            f.ways_out.push_back({"Hang it over them", "the nearest part then passes its middle",
                {"Move " + d_.name, {cell::Operation::set(at + "/placement/x_mm", tenth(there.x())),
                                        cell::Operation::set(at + "/placement/y_mm", tenth(there.y()))}}});
        } else {
            f.text = "No part that it knows comes anywhere near its field of view.";
        }
    }

    const cell::Device& d_;
    const simulation::CameraView& view_;
    bool in_view_ = false, unknown_in_view_ = false;
    double longest_ = 0;              ///< s that a part is in view
    double off_ = 1e300, depth_ = 0;  ///< of parts that pass under it, but not within its depth
    double aside_ = 1e300;            ///< of parts within its depth, and where the nearest is
    Vector3 nearest_ = Vector3::Zero();
};

/// What the parts of the run came to, as seen by a sensor that was never made.
struct Missed {
    double distance = 1e300;
    double below = 0;    ///< how far the sensor's lowest point is above the nearest part; negative: it is not
    bool other = false;  ///< a part touched it that it does not look for
};

class Silent {
public:
    Silent(const Context& c, const cell::Device& d) : c_(c), d_(d) {
        low_ = 1e300;
        for (const cell::Mark& m : d.marks)
            if (!m.lit_by.empty())
                for (const Vector3& p : m.line) low_ = std::min(low_, (d.world * p).z());
        shape_ = watched_shape(d);
        for (const cell::Field& f : d.kind->fields())
            if (f.key == "beam_height_mm" || f.key == "above_mm") height_ = &f;
    }

    /// Over all that stood or rode in the cell.
    Missed nearest() const {
        Missed out;
        for (const simulation::PartRecord& part : c_.run.trace.parts) {
            const cell::PartType& type = c_.cell.part_types[part.type];
            for (const simulation::Place& p : part.places) {
                if (p.kind != simulation::Place::Kind::still) continue;
                const double ride =
                    p.glide().rests() ? 0.0 : simulation::seconds(std::max<simulation::Ticks>(0, p.stop - p.from));
                for (int k = 0; k <= 20; ++k) look(type, p.after(ride * k / 20), out);
            }
        }
        return out;
    }
    Finding finding(const std::string& signal) const {
        Finding f;
        f.id = "sensor:" + d_.id;
        f.severity = Severity::watch;
        f.title = d_.name + " never switches";
        f.devices = {d_.id};
        if (!was_enabled()) {
            f.text = "Its input \"enable\" is never on" + source() + ".";
            return f;
        }
        if (const auto view = simulation::kind_of(d_).camera_view(c_.cell, d_)) {
            Blind(c_, d_, *view).tell(f);
            return f;
        }
        const Missed n = nearest();
        if (n.other) {
            f.text = "Parts pass it, but none of the type that it looks for.";
            f.ways_out.push_back({"Look for every part", "\"" + signal + "\" is then on for any of them",
                {"Let " + d_.name + " see every part", {cell::Operation::remove(cell::at_device(d_.id) / "detects")}}});
        } else if (n.below > 0 && n.below < 0.5 && height_) {
            f.text = "It looks " + millimetres(n.below) + " mm above the highest part.";
            const double now = local_height();
            const cell::json lower = std::max(height_->low, std::round((now - n.below) * 1e3 - 10));
            f.ways_out.push_back({"Lower it to " + lower.dump() + " mm", "10 mm below the top of the part",
                {"Lower " + d_.name, {cell::Operation::set(cell::at_device(d_.id) / height_->key, lower)}}});
        } else {
            f.text = n.distance > 1e9 ? "No part stands or rides in the cell."
                                      : "No part that it detects passes it; the nearest comes to " +
                                            millimetres(n.distance) + " mm.";
        }
        return f;
    }

private:
    void look(const cell::PartType& type, const Frame& at, Missed& out) const {
        for (const geometry::Body& b : type.bodies) {
            const double gap = geometry::separation(b.shape, at * b.at, *shape_, Frame::Identity()).distance;
            if (gap <= 1e-6) out.other = true;  // m: touching
            if (gap < out.distance) out.distance = gap, out.below = low_ - (at.translation().z() + type.height);
        }
    }
    double local_height() const {
        double low = 1e300;
        for (const cell::Mark& m : d_.marks)
            for (const Vector3& p : m.line)
                if (!m.lit_by.empty()) low = std::min(low, p.z());
        return low;
    }
    const simulation::SignalRecord* enable() const { return c_.run.trace.signal(d_.id + ".enable"); }
    bool was_enabled() const {
        const simulation::SignalRecord* s = enable();
        return !s ||
               std::any_of(s->changes.begin(), s->changes.end(), [](const auto& change) { return change.second != 0; });
    }
    std::string source() const {
        for (const cell::Signal& s : d_.signals)
            if (s.name == "enable" && s.source) return "; it takes " + s.source->text();
        return {};
    }

    const Context& c_;
    const cell::Device& d_;
    std::unique_ptr<geometry::Convex> shape_;
    double low_ = 0;
    const cell::Field* height_ = nullptr;
};

/// On from its first part to the end, while others go by: it cannot tell them apart.
std::optional<Finding> always_on(const Context& c, const cell::Device& d, const simulation::SignalRecord& s) {
    constexpr std::size_t some_parts = 3;
    if (s.changes.empty() || s.changes.back().second == 0 || c.run.trace.departures.size() < some_parts)
        return std::nullopt;
    const simulation::Ticks since = s.changes.back().first;
    const auto gone = std::count_if(c.run.trace.departures.begin(), c.run.trace.departures.end(),
        [&](const simulation::Departure& left) { return left.when > since; });
    if (gone < static_cast<std::ptrdiff_t>(some_parts) || c.run.trace.end - since < c.run.trace.end / 2)
        return std::nullopt;
    Finding f;
    f.id = "sensor:" + d.id;
    f.severity = Severity::watch;
    f.title = d.name + " is always on";
    f.devices = {d.id};
    f.when_s = simulation::seconds(since);
    f.text = "From " + short_number(*f.when_s) + " s to the end of the run, while " + std::to_string(gone) +
             " parts left the cell: before one has gone by the next is there. A task that waits for it sees no single "
             "part; a larger gap between parts or another place tells them apart.";
    return f;
}

/// Whether any task or input looks at it: else nobody misses it.
bool is_heard(const Context& c, int signal) {
    const auto looks = [&](const std::shared_ptr<const cell::Expression>& e) {
        return e && std::find(e->signals().begin(), e->signals().end(), signal) != e->signals().end();
    };
    for (const cell::Signal& s : c.cell.signals)
        if (looks(s.source)) return true;
    for (const cell::Device& d : c.cell.devices)
        for (const cell::Step* s : cell::all_steps(d))
            if (s->signal == signal || looks(s->condition) || looks(s->value)) return true;
    return false;
}

}  // namespace

void sensor_check(const Context& c, Inspection& result) {
    if (c.run.trace.parts.empty()) return;
    for (const cell::Device& d : c.cell.devices) {
        const auto lit =
            std::find_if(d.marks.begin(), d.marks.end(), [](const cell::Mark& m) { return !m.lit_by.empty(); });
        if (lit == d.marks.end()) continue;
        const std::string name = d.id + "." + lit->lit_by;
        const simulation::SignalRecord* s = c.run.trace.signal(name);
        if (!s || !c.run.trace.signal(d.id + ".enable")) continue;  // lit by something else than a sensor
        const bool never =
            std::none_of(s->changes.begin(), s->changes.end(), [](const auto& v) { return v.second != 0; });
        if (never) result.findings.push_back(Silent(c, d).finding(lit->lit_by));
        else if (is_heard(c, c.cell.signal(name)))
            if (std::optional<Finding> f = always_on(c, d, *s)) result.findings.push_back(std::move(*f));
    }
}

}  // namespace escarp::inspection
