#pragma once
// What a kind of device brings: its parameters, bodies, drawing marks and checks. Behaviour is added by the
// simulation layer, which derives from this; a kind is one file there and one line in its list.

#include <memory>
#include <string>
#include <vector>

#include "cell.h"
#include "new_device.h"
#include "step_kind.h"

namespace escarp::cell {

class DeviceKind {
public:
    virtual ~DeviceKind() = default;
    virtual std::string id() const = 0;     ///< the word in the file: "conveyor"
    virtual std::string label() const = 0;  ///< for people: "Conveyor"
    virtual const Fields& fields() const = 0;
    json fresh() const { return fresh_of(fields()); }  ///< keys of a new one, without id, name, placement
    /// What of it stands in the catalogue.
    virtual std::vector<Offering> offerings() const { return {{id(), "", label()}}; }
    /// Gives a new one what it needs of the cell around it. Throws InputError where that is not there.
    virtual void init_new(NewDevice& /*new_device*/, json& /*device*/) const {}
    /// What one set down somewhere may stand on; belts include structures.
    enum class PlacedOn { on_floor, on_structures, on_belts };
    virtual PlacedOn placed_on() const { return PlacedOn::on_structures; }
    virtual bool carries_devices() const { return false; }  ///< others are set down on it
    /// How high what stands on it at a point stands, world.
    virtual double top_at(const Device& device, const Vector3& /*world*/) const {
        return device.mount_world().translation().z();
    }
    virtual bool has_arm() const { return false; }  ///< is an arm model with tools, poses and a task
    /// Values of its axis at the places that it goes to and waits at before it goes on; empty: there are none.
    virtual std::vector<double> stands_at(const Device&) const { return {}; }
    /// Those of them at which arms take a part off a seat, or put one on it.
    virtual std::vector<double> served_at(const Device&, int /*seat*/) const { return {}; }
    virtual bool presses() const { return false; }      ///< what moves of it touches the parts on what it stands on
    virtual bool moves_parts() const { return false; }  ///< parts ride on it from one end to the other
    virtual double ride_length(const Device&) const { return 0; }  ///< along which parts can be met, m; 0: none can
    /// The standard deviation of the places of parts that it tells, to either side, m; nothing: it tells none.
    virtual std::optional<double> tells_places(const Device&) const { return std::nullopt; }
    virtual bool takes_from_belts() const { return false; }  ///< may be what a belt hands on to
    virtual bool follows_belts() const {
        return takes_from_belts();
    }                                                   ///< the same, or parts go on from it by themselves
    virtual bool feeds_belts() const { return false; }  ///< its "to" is the belt that it stands on
    /// What the cycle ribbon shows of it.
    enum class Lane { none, work, arrivals, level };
    virtual Lane lane() const { return Lane::none; }
    /// A few words about one: "2 nests, 6.5 s".
    virtual std::string summary(const Cell& cell, const Device& device) const;
    /// Turns a device's parameters into those of its mirror image in its own xz plane.
    virtual void mirror(json& /*device*/) const {}
    /// Reads the kind's own keys into parameters, bodies, seats, marks, signals, mount.
    virtual void read(const Reader& reader, const Cell& cell, Device& device) const = 0;
    /// Once every device stands where it stands: what depends on others.
    virtual void settled(const Reader& /*reader*/, const Cell& /*cell*/, Device& /*device*/) const {}
};

/// Whether it can be made to wait before it goes into space that others use, too: an arm on its way, what goes between
/// places there.
inline bool can_wait(const Device& device) { return device.arm || !device.kind->stands_at(device).empty(); }

class Kinds {
public:
    void add(std::unique_ptr<DeviceKind> kind) { all_.push_back(std::move(kind)); }
    void add(std::unique_ptr<StepKind> kind) { steps_.push_back(std::move(kind)); }
    const DeviceKind* find(const std::string& id) const;
    const std::vector<std::unique_ptr<DeviceKind>>& all() const { return all_; }
    const StepKind* find_step(const std::string& id) const;
    const std::vector<std::unique_ptr<StepKind>>& steps() const { return steps_; }

private:
    std::vector<std::unique_ptr<DeviceKind>> all_;
    std::vector<std::unique_ptr<StepKind>> steps_;
};

/// Reads a body: {"shape": "box"|"cylinder"|"capsule"|"sphere"|"hull", sizes, "at_mm", "turn_deg"}. Box and cylinder
/// stand on their origin (bottom centre).
geometry::Body read_body(const Reader& reader);
/// The same for a list of them. {"shape": "mesh", "mesh": id} stands for the convex pieces of one of `meshes`.
geometry::Bodies read_bodies(const Reader& reader, const std::string& key, const std::vector<MeshAsset>& meshes = {});

/// A box or cylinder that stands on the point `bottom_centre`, sizes in m.
geometry::Body standing_box(std::string name, const Vector3& size, const Vector3& bottom_centre);
geometry::Body standing_cylinder(std::string name, double diameter, double height, const Vector3& bottom_centre);

}  // namespace escarp::cell
