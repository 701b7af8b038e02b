#pragma once
// What can be placed, and what a kind of device gives one that is being placed from the cell around it.

#include <cell/document/edit.h>

#include "cell.h"

namespace escarp::cell {

/// What can be placed: a kind, with a model for arms; or an own device as it was kept.
struct Offering {
    std::string kind, model;  ///< model: id in the catalogue of arms; empty otherwise
    std::string label;
    json parameters = json::object();  ///< over the kind's own fresh ones
    json brings = json::object();  ///< own devices: {"arm_models": [...], "tool_models": [...], "part_types": [...],
                                   ///< "meshes": [...]} that it needs
};

/// A device on its way into a cell.
class NewDevice {
public:
    NewDevice(const Cell& cell, const json& tree, int near, const json& given)
        : cell_(cell), tree_(tree), given_(given), near_(near) {}

    const Cell& cell() const { return cell_; }
    const json& tree() const { return tree_; }
    /// Whether a key has been said already, and is not to be chosen.
    bool given(const char* key) const { return given_.contains(key); }
    /// The device that it is to be built on or beside; null: none was chosen.
    const Device* near() const { return near_ < 0 ? nullptr : &cell_.devices[near_]; }
    /// The belt that is meant: the chosen device, else the first; null: there is none.
    const Device* belt() const;
    double value(const Device& device, const char* key) const;  ///< of a number in the file; 0: it is not there
    /// The id of the first part type; one comes along where the cell has none.
    std::string some_part_type();
    /// Adds an element of a catalogue to a list of the file unless it is there.
    void bring(const json& catalogue, const std::string& list, const std::string& id);
    /// It stands on `host`, `x_mm` along it from its middle.
    static void stand_on(json& device, const Device& host, double x_mm = 0);

    Operations operations;  ///< beside the one that adds it

private:
    const Cell& cell_;
    const json &tree_, &given_;
    const int near_;
};

}  // namespace escarp::cell
