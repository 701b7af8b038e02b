#include <cmath>

#include <cell/model/device_kind.h>
#include <geometry/distance.h>
#include <geometry/indices.h>
#include <simulation/kinds.h>
#include <simulation/watching.h>

namespace escarp::simulation {
namespace {

struct Ray final : cell::Parameters {
    double range, near, every;  ///< m, m, s
    Vector3 from;               ///< of the line, in the device's frame
};
const Ray& ray_of(const cell::Device& d) { return static_cast<const Ray&>(*d.parameters); }

/// How far it is along the ray to the first surface.
class Measuring {
public:
    Measuring(const cell::Device& d, int index, const cell::Cell& cell)
        : from_(d.world * ray_of(d).from),
          along_(d.world.linear().col(0)),
          near_signal_(d.first_signal),
          distance_signal_(d.first_signal + 2),
          near_(ray_of(d).near),
          behind_(ray_of(d).range) {
        for (const int i : indices(cell.devices))
            if (i != index && !cell.devices[i].arm)
                for (const geometry::Body& b : cell.devices[i].bodies)
                    behind_ = to(b.shape, cell.devices[i].world * b.at, behind_);
    }
    /// Of what always stands there.
    double behind() const { return behind_; }
    void operator()(Kernel& k, const std::vector<int>& parts) const {
        double least = behind_;
        for (const int part : parts) {
            Frame at;
            if (!k.trace().part_frame(k.cell(), part, k.now(), at)) continue;
            for (const geometry::Body& b : k.type_of(part).bodies) least = to(b.shape, at * b.at, least);
        }
        k.set_signal(distance_signal_, std::round(least * 1e5) / 1e2);
        k.set_signal(near_signal_, least < near_);
    }

private:
    double to(const geometry::Convex& shape, const Frame& at, double most) const {
        const auto meets = [&](double far) {
            return geometry::separation(
                       shape, at, geometry::Convex::segment(from_, from_ + far * along_), Frame::Identity())
                       .distance <= 0;
        };
        if (!meets(most)) return most;
        double low = 1e-6, high = most;
        while (high - low > 1e-5) (meets(0.5 * (low + high)) ? high : low) = 0.5 * (low + high);
        return high;
    }
    const Vector3 from_, along_;
    const int near_signal_, distance_signal_;
    const double near_;
    double behind_;
};

class DistanceSensorKind final : public Kind {
public:
    std::string id() const override { return "distance_sensor"; }
    std::string label() const override { return "Distance sensor"; }
    const cell::Fields& fields() const override {
        using namespace cell::field;
        static const cell::Fields all{number("range_mm", "range", 10, 50000).at_first(600.0),
            number("near_mm", "near below", 1, 50000).at_first(200.0),
            number("every_s", "measures every", 0.001, 60).usually(0.01).at_first(0.02),
            number("beam_height_mm", "height of the line", 25, 5000).usually(60).at_first(60.0)};
        return all;
    }
    PlacedOn placed_on() const override { return PlacedOn::on_belts; }
    Lane lane() const override { return Lane::level; }
    /// At the belt's end, looking back along it.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const cell::Device* belt = n.belt();
        if (!belt) return;
        n.stand_on(device, *belt, 0.5 * n.value(*belt, "length_mm"));
        device["placement"]["turn_deg"] = 180.0;
    }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        return d.host >= 0 ? "on " + cell.devices[d.host].name : std::string();
    }
    void read(const cell::Reader& r, const cell::Cell&, cell::Device& d) const override {
        auto ray = std::make_shared<Ray>();
        const cell::Values v(r, fields());
        ray->range = v.number("range_mm"), ray->near = v.number("near_mm"), ray->every = v.number("every_s");
        const double high = v.number("beam_height_mm");
        ray->from = {0, 0, high};  // from the middle of its head, which is its origin
        d.look = cell::Look::sensor;
        d.bodies.push_back(cell::standing_box("head", {0.05, 0.03, 0.04}, {0, 0, high - 0.02}));
        d.bodies.push_back(cell::standing_cylinder("foot", 0.016, high - 0.02, {0, 0, 0}));
        d.marks.push_back({cell::Mark::Style::accent, {ray->from, ray->from + Vector3(ray->range, 0, 0)}});
        d.marks.back().lit_by = "near";
        d.signals = {{"near"}, cell::Signal::input_on("enable"),
            {"distance", cell::Signal::Type::number, cell::Signal::Way::output, 1e3 * ray->range, "mm"}};
        d.parameters = std::move(ray);
    }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        const Ray& ray = ray_of(d);
        const Vector3 from = d.world * ray.from, to = d.world * (ray.from + Vector3(ray.range, 0, 0));
        Watched watched{geometry::Convex::segment(from, to), 0.5 * (from + to), 0.5 * ray.range};
        watched.update = ray.every, watched.each_time = true, watched.tells_itself = true;
        watched.told = Measuring(d, index, c);
        return watching(d, index, std::move(watched));
    }
};

}  // namespace

std::unique_ptr<Kind> distance_sensor_kind() { return std::make_unique<DistanceSensorKind>(); }

}  // namespace escarp::simulation
