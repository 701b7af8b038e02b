#include <cmath>
#include <set>

#include <cell/model/device_kind.h>
#include <cell/text/numbers.h>
#include <geometry/distance.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>
#include <simulation/watching.h>

namespace escarp::simulation {
namespace {

struct View final : cell::Parameters {
    std::vector<Vector3> corners;  ///< of its field of view: the near rectangle's, then the far one's
    std::vector<std::string> knows;
    double every, latency, rejects, noise;
    bool hides;  ///< what is behind something else is not seen
};
const View& view_of(const cell::Device& d) { return static_cast<const View&>(*d.parameters); }

/// Tells what it saw, and judges what it sees for the first time.
class Judging {
public:
    Judging(const cell::Device& d, const cell::Cell& cell)
        : reject_signal_(d.first_signal + 3), share_(view_of(d).rejects), draws_(cell.seed, d.id, "judges") {}
    void operator()(Kernel& k, const std::vector<int>& parts) {
        for (const int part : parts) {
            const Place* place = k.trace().parts[part].place(k.now());
            if (share_ <= 0 || !place || place->kind == Place::Kind::gone) continue;
            if (!judged_.insert(part).second) continue;
            const bool bad = k.choose(2, draws_.next() < share_) == 1;
            k.judge(part, bad ? "reject" : "good");
            k.set_signal(reject_signal_, bad);
        }
        if (parts.empty()) k.set_signal(reject_signal_, false);
    }

private:
    const int reject_signal_;
    const double share_;
    cell::Draws draws_;
    std::set<int> judged_;  ///< each once
};

/// Whether nothing stands between the camera and a part's upper side.
class Sight {
public:
    Sight(const cell::Device& d, int index, const cell::Cell& cell) : eye_(d.world.translation()) {
        for (const int i : indices(cell.devices))
            if (i != index && !cell.devices[i].arm)
                for (const geometry::Body& b : cell.devices[i].bodies)
                    if (!b.see_through()) standing_.push_back({&b.shape, cell.devices[i].world * b.at});
    }
    bool operator()(const Kernel& k, int part) const {
        Frame at;
        if (!k.trace().part_frame(k.cell(), part, k.now(), at)) return false;
        const Vector3 top = at * Vector3(0, 0, k.type_of(part).height);
        // Up to just before it, so that what it stands on or beside does not count.
        const geometry::Convex line = geometry::Convex::segment(eye_, top + 0.003 * (eye_ - top).normalized());
        const auto free_of = [&](const geometry::Convex& shape, const Frame& where) {
            return geometry::separation(shape, where, line, Frame::Identity()).distance > 0;
        };
        for (const auto& [shape, where] : standing_)
            if (!free_of(*shape, where)) return false;
        for (const int other : k.live_parts()) {
            Frame stands;
            if (other == part || !k.trace().part_frame(k.cell(), other, k.now(), stands)) continue;
            for (const geometry::Body& b : k.type_of(other).bodies)
                if (!free_of(b.shape, stands * b.at)) return false;
        }
        return true;
    }

private:
    struct Standing {
        const geometry::Convex* shape;
        Frame at;
    };
    const Vector3 eye_;
    std::vector<Standing> standing_;
};

class CameraKind final : public Kind {
public:
    std::string id() const override { return "camera"; }
    std::string label() const override { return "Camera"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{number("near_mm", "sees from", 1, 20000).at_first(250.0),
            number("depth_mm", "so far on", 1, 50000).at_first(400.0),
            number("angle_x_deg", "angle along x", 1, 160).at_first(40.0),
            number("angle_y_deg", "angle along y", 1, 160).at_first(30.0),
            number("every_s", "a picture every", 0.001, 3600).at_first(0.1),
            number("latency_s", "tells after", 0, 60).usually(0).at_first(0.15),
            of(cell::Field::Type::ids, "knows", "part types").lacking().explained("Ids; without any: every type."),
            flag("hides", "hidden parts", false)
                .as_said({"are not seen", "are seen"})
                .explained("Whether what is behind something else is left out."),
            number("noise_mm", "noise of place", 0, 1000).usually(0).under("What it is worth"),
            number("reject_pct", "judges reject", 0, 100).usually(0).under("What it is worth"),
            number("post_mm", "post aside", -20000, 20000).usually(0).at_first(260.0)};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_belts; }
    Lane lane() const override { return Lane::level; }
    std::optional<CameraView> camera_view(const cell::Cell& cell, const cell::Device& d) const override {
        const View& v = view_of(d);
        const Vector3 &near = v.corners[2], &far = v.corners[6];
        CameraView view{-near.z(), -far.z(), -far.x() / far.z(), -far.y() / far.z(), v.every, v.hides, {}};
        for (const std::string& type : v.knows) view.types.push_back(cell.part_type(type));
        return view;
    }
    std::optional<double> tells_places(const cell::Device& d) const override { return view_of(d).noise; }
    /// Above the middle of the belt, its post beside it.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const cell::Device* belt = n.belt();
        if (!belt) {
            device["placement"]["z_mm"] = 600.0;
            return;
        }
        device["post_mm"] = 0.5 * n.value(*belt, "width_mm") + 60;
        n.stand_on(device, *belt);
        device["placement"]["z_mm"] = device["placement"]["z_mm"].get<double>() + 600.0;
    }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        return d.host >= 0 ? "over " + cell.devices[d.host].name : std::string();
    }
    void read(const cell::Reader& r, const cell::Cell& cell, cell::Device& d) const override {
        auto view = std::make_shared<View>();
        const cell::Values v(r, fields());
        const double near = v.number("near_mm"), far = near + v.number("depth_mm");
        const double x = std::tan(0.5 * v.number("angle_x_deg")), y = std::tan(0.5 * v.number("angle_y_deg"));
        for (const double depth : {near, far})
            for (const auto& [right, up] : {std::pair{-1.0, -1.0}, {1.0, -1.0}, {1.0, 1.0}, {-1.0, 1.0}})
                view->corners.emplace_back(right * x * depth, up * y * depth, -depth);
        view->every = v.number("every_s"), view->latency = v.number("latency_s");
        view->hides = v.flag("hides"), view->rejects = v.number("reject_pct");
        view->noise = v.number("noise_mm");
        if (r.has("knows")) {
            const cell::json& ids = r.raw("knows");
            if (!ids.is_array()) r.problem("knows", "A list of ids of part types is expected.");
            else
                for (const cell::json& id : ids) {
                    if (id.is_string() && cell.part_type(id.get<std::string>()) >= 0) view->knows.push_back(id);
                    else r.problem("knows", "A list of ids of part types of this file is expected.");
                }
        }
        d.look = cell::Look::sensor;
        d.bodies.push_back(cell::standing_box("housing", {0.06, 0.06, 0.11}, {0, 0, 0.02}));
        d.bodies.push_back(cell::standing_cylinder("lens", 0.04, 0.02, {0, 0, 0}));
        const auto mark = [&](std::vector<Vector3> line) {
            d.marks.push_back({cell::Mark::Style::accent, std::move(line)});
            d.marks.back().lit_by = "sees";
        };
        const auto& c = view->corners;
        for (int i = 0; i < 4; ++i) {
            mark({c[i], c[(i + 1) % 4]}), mark({c[4 + i], c[4 + (i + 1) % 4]});
            mark({c[i], c[4 + i]});
        }
        d.signals = {{"sees"}, cell::Signal::input_on("enable"), cell::Signal::count("count"), {"reject"}};
        d.parameters = std::move(view);
    }
    /// It hangs on a post that stands beside what it looks at.
    void settled(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        const double aside = cell::Values(r, fields()).number("post_mm"), high = d.world.translation().z();
        if (aside == 0 || high < 0.1 || d.world.linear()(2, 2) < 0.5) return;
        d.bodies.push_back(cell::standing_box("bracket", {0.03, std::abs(aside), 0.03}, {0, 0.5 * aside, 0.1}));
        d.bodies.push_back(cell::standing_box("post", {0.04, 0.04, high + 0.13}, {0, aside, -high}));
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        const View& view = view_of(d);
        std::vector<Vector3> corners;
        Vector3 middle = Vector3::Zero();
        for (const Vector3& p : view.corners) corners.push_back(d.world * p), middle += corners.back() / 8;
        double reach = 0;
        for (const Vector3& p : corners) reach = std::max(reach, (p - middle).norm());
        Watched watched{geometry::Convex::hull(std::move(corners)), middle, reach};
        watched.counts = watched.by_origin = true;
        watched.update = view.every, watched.latency = view.latency;
        for (const std::string& type : view.knows) watched.types.push_back(c.part_type(type));
        if (view.hides) watched.visible = Sight(d, index, c);
        watched.random = view.rejects > 0 && view.rejects < 1;
        watched.told = Judging(d, c);
        return watching(d, index, std::move(watched));
    }
};

}  // namespace

std::unique_ptr<Kind> camera_kind() { return std::make_unique<CameraKind>(); }

}  // namespace escarp::simulation
