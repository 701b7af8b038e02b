#pragma once
// Edits that need some thought: adding and taking away devices and steps so that the cell still makes sense.

#include <string>

#include <cell/model/new_device.h>
#include <cell/read/layout.h>
#include <geometry/frame.h>

namespace escarp::cell {

std::vector<Offering> offerings(const Kinds& kinds);
/// The arm models that only this document has.
std::vector<Offering> own_offerings(const Document& document);

/// A new device beside the others, with a free id and name; brings its models along and gives an infeed its belt and
/// part. `id` receives the new device's id. `at`: world place in mm, or null for "beside the others". `near`: device to
/// build on (the belt for an infeed, beam or outfeed hood), may be empty.
Edit add_device(const Layout& layout, const Offering& what, const std::string& near, std::string* id);

/// The same, standing at a place in the world (its height is that of what is under it). What stands there carries it,
/// if it can. An infeed or a belt's sensor set down on a belt belongs to that belt.
Edit add_device_at(const Layout& layout, const Offering& what, const geometry::Frame& world, std::string* id);

/// Operations that set a device down at a place in the world: on what is there, or on the floor. See `add_device_at`.
Operations set_down(const Layout& layout, const std::string& id, const geometry::Frame& world);

/// Takes a device away: what stands on it goes to its host, steps and belts that refer to it go as well.
Edit remove_device(const Layout& layout, const std::string& id);

/// A new step of a kind ("pick", "wait" ...) after `place` ("/devices/arm1/task/s2"), at the end of that where it is a
/// list of steps ("/devices/arm1/first", "/devices/arm1/side_tasks/t1/steps"), or at the end of the task where it is
/// empty. Throws InputError with the reason where the cell has nothing that it could refer to.
Edit add_step(const Layout& layout, const std::string& device, const std::string& what, const std::string& place,
    std::string* id);
/// A task beside a device's main one, without steps yet.
Edit add_side_task(const Layout& layout, const std::string& device, const std::string& name, std::string* id);

/// Moves a step one place up (-1) or down (+1) in its list.
Edit shift_step(const Layout& layout, const std::string& step_path, int direction);

}  // namespace escarp::cell
