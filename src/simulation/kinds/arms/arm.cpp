#include <cell/model/catalogue.h>
#include <cell/model/tables.h>
#include <simulation/arm_driver.h>
#include <simulation/kinds.h>

namespace escarp::simulation {
namespace {

class ArmKind final : public Kind {
public:
    std::string id() const override { return "arm"; }
    std::string label() const override { return "Arm"; }
    const cell::Fields& fields() const override { return cell::arm_device_fields(); }
    bool has_arm() const override { return true; }
    std::vector<cell::Offering> offerings() const override {
        std::vector<cell::Offering> all;
        for (const cell::json& model : cell::catalogue_arms()) all.push_back({id(), model["id"], model["name"]});
        return all;
    }
    /// With its model and a gripper of its size, on the structure that was chosen.
    void init_new(cell::NewDevice& n, cell::json& device) const override {
        const std::string model = device["model"];
        const cell::json& catalogue = cell::catalogue_arms();
        const bool comes_along =
            std::any_of(catalogue.begin(), catalogue.end(), [&](const cell::json& m) { return m["id"] == model; });
        if (comes_along && !n.given("tool")) {
            n.bring(catalogue, "arm_models", model);
            const bool small = model == "six600" || model == "offset850" || model == "scara400";
            device["tool"] = small ? "jaw60" : "jaw120";
            n.bring(cell::catalogue_tools(), "tool_models", device["tool"]);
        }
        if (n.near() && n.near()->kind->carries_devices()) cell::NewDevice::stand_on(device, *n.near());
    }
    std::string summary(const cell::Cell& cell, const cell::Device& d) const override {
        return d.arm ? d.arm->model->name : Kind::summary(cell, d);
    }
    void read(const cell::Reader&, const cell::Cell&, cell::Device& d) const override { d.look = cell::Look::arm; }
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override {
        return std::make_unique<ArmDriver>(d, index, c);
    }
};

}  // namespace

std::unique_ptr<Kind> arm_kind() { return std::make_unique<ArmKind>(); }

}  // namespace escarp::simulation
