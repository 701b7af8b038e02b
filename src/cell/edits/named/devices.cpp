// Devices: added, moved, arranged, copied, taken away.

#include <cell/edits/arrange.h>
#include <cell/edits/compose.h>
#include <cell/edits/mount.h>
#include <cell/edits/named/named_edit.h>
#include <cell/model/catalogue.h>
#include <cell/model/device_kind.h>

namespace escarp::cell {
namespace {

using namespace field;
using Type = Field::Type;

Field one_device() { return of(Type::device, "device", "device"); }
Field devices() { return of(Type::ids, "devices", "devices").of_number(1, 2000); }
Field place(const char* key, const char* label) { return number(key, label, -1e5, 1e5); }

std::vector<int> indexes(const Layout& layout, const Values& v) {
    std::vector<int> out;
    for (const std::string& id : v.ids("devices")) {
        out.push_back(layout.cell().device(id));
        if (out.back() < 0) throw InputError("devices", "\"" + id + "\" is not the id of a device.");
    }
    return out;
}

int index(const Layout& layout, const Values& v) {
    const int found = layout.cell().device(v.text("device"));
    if (found < 0) throw InputError("device", "\"" + v.text("device") + "\" is not the id of a device.");
    return found;
}

Change bring_in(const Layout& layout, const Values& v) {
    Offering what{v.text("kind"), v.text("model"), v.text("name")};
    if (v.has("with")) what.parameters = v.reader().raw("with");
    const DeviceKind* kind = layout.kinds().find(what.kind);
    if (kind && kind->has_arm() && what.model.empty())
        throw InputError("model", "The id of an arm model of the catalogue or the file is expected.");
    if (kind && what.label.empty()) what.label = kind->label();
    for (const json& model : catalogue_arms())
        if (model["id"] == what.model && v.text("name").empty()) what.label = model["name"];
    std::string id;
    if (v.has("on") || !v.has("x_mm")) {
        const Edit edit = add_device(layout, what, v.text("on"), &id);
        return changed(layout, edit, {{"device", id}});
    }
    const geometry::Frame at =
        geometry::make_frame({v.number("x_mm"), v.number("y_mm"), 0}, {0, 0, v.number("turn_deg")});
    const Edit edit = add_device_at(layout, what, at, &id);
    return changed(layout, edit, {{"device", id}});
}

Change put_there(const Layout& layout, const Values& v) {
    const Cell& cell = layout.cell();
    const int device = index(layout, v);
    Placement p = placement_of(cell.devices[device].world);
    for (const auto& [key, to] : {std::pair{"x_mm", &p.x}, {"y_mm", &p.y}, {"z_mm", &p.z}, {"turn_deg", &p.turn}})
        if (v.has(key)) *to = v.number(key) / unit_factor(key);
    std::optional<int> host;
    if (v.has("host")) {
        host = v.text("host") == "floor" ? -1 : cell.device(v.text("host"));
        if (*host < 0 && v.text("host") != "floor")
            throw InputError("host", "\"floor\" or the id of a device is expected.");
    }
    return changed(layout, {"Move " + cell.devices[device].name, place_at(cell, device, frame_of(p), host)});
}

AlignAt align_at(const std::string& word) {
    if (word == "left") return AlignAt::left;
    if (word == "right") return AlignAt::right;
    if (word == "front") return AlignAt::front;
    if (word == "back") return AlignAt::back;
    return word == "middle x" ? AlignAt::middle_x : AlignAt::middle_y;
}

Change copies(const Layout& layout, const Values& v, const std::vector<geometry::Frame>& by) {
    std::vector<std::string> made;
    const Edit edit = copy(layout, v.ids("devices"), by, &made);
    return changed(layout, edit, {{"devices", made}});
}

Change each(const Layout& layout, const Values& v, const std::string& name, const char* key, const json& value) {
    Edit edit{name, {}};
    for (const int i : indexes(layout, v)) {
        const Path at = at_device(layout.cell().devices[i].id) / key;
        if (!value.is_null()) edit.operations.push_back(Operation::set(at, value));
        else if (find(layout.tree(), at)) edit.operations.push_back(Operation::remove(at));
    }
    return changed(layout, edit);
}

using Named = std::function<void(
    const char* name, const char* help, Fields arguments, std::function<Change(const Layout&, const Values&)> act)>;

void add_one_by_one(const Named& named) {
    named("add device", "a new device, beside the others or where it is said; what it needs comes along",
        {text("kind", "kind of device"), text("model", "arm model").usually(""), text("name", "name").usually(""),
            text("on", "device it is built on").usually(""), place("x_mm", "x in the world").lacking(),
            place("y_mm", "y").usually(0), place("turn_deg", "turned").usually(0),
            of(Type::anything, "with", "further keys of the device").lacking()},
        bring_in);
    named("remove devices", "devices and what refers to them; what stands on them sinks, stays in the air or goes too",
        {devices(), choice("riders", "what stands on them", {"lower", "keep height", "remove"}).usually("lower")},
        [](const Layout& l, const Values& v) {
            const std::string word = v.choice("riders");
            return changed(l, remove_devices(l, v.ids("devices"),
                                  word == "lower"         ? Riders::lower
                                  : word == "keep height" ? Riders::keep_height
                                                          : Riders::remove));
        });
    named("rename device", "a device's name", {one_device(), text("to", "new name")},
        [](const Layout& l, const Values& v) {
            const std::string id = l.cell().devices[index(l, v)].id;
            return changed(l, {"Rename " + v.text("to"), {Operation::set(at_device(id) / "name", v.text("to"))}});
        });
    named("place device", "a device stands there, in the world; what is not said stays",
        {one_device(), place("x_mm", "x").lacking(), place("y_mm", "y").lacking(), place("z_mm", "z").lacking(),
            place("turn_deg", "turned").lacking(), text("host", "stands on").lacking()},
        put_there);
    named("mount tool", "a tool on an arm's flange; an empty one takes it off",
        {of(Type::device, "arm", "arm"), whole("place", "which tool", 0, 8).usually(0),
            text("tool", "tool").usually("")},
        [](const Layout& l, const Values& v) {
            return changed(l, mount_tool(l, v.text("arm"), static_cast<std::size_t>(v.whole("place")), v.text("tool")));
        });
    named("put on travel axis", "an arm, or takes it off", {of(Type::device, "arm", "arm"), flag("on", "on", true)},
        [](const Layout& l, const Values& v) { return changed(l, put_on_travel(l, v.text("arm"), v.flag("on"))); });
}

void add_arranging(const Named& named) {
    named("move devices", "by so much",
        {devices(), place("x_mm", "x").usually(0), place("y_mm", "y").usually(0), place("z_mm", "z").usually(0)},
        [](const Layout& l, const Values& v) {
            return changed(l, move_by(l.cell(), indexes(l, v), {v.number("x_mm"), v.number("y_mm"), v.number("z_mm")}));
        });
    named("turn devices", "about the middle of them all", {devices(), place("by_deg", "angle")},
        [](const Layout& l, const Values& v) {
            return changed(l, turn_by(l.cell(), indexes(l, v), v.number("by_deg")));
        });
    named("align devices", "to the first of them",
        {devices(), choice("at", "where", {"left", "right", "front", "back", "middle x", "middle y"})},
        [](const Layout& l, const Values& v) {
            return changed(l, align(l.cell(), indexes(l, v), align_at(v.choice("at"))));
        });
    named("spread devices", "equal gaps between the outermost", {devices(), choice("along", "axis", {"x", "y"})},
        [](const Layout& l, const Values& v) {
            return changed(l, distribute(l.cell(), indexes(l, v), v.choice("along") == "x" ? 0 : 1));
        });
    named("mirror devices", "in an upright plane",
        {devices(), choice("across", "axis", {"x", "y"}), place("at_mm", "where the plane stands")},
        [](const Layout& l, const Values& v) {
            return changed(l, mirror(l, v.ids("devices"), v.choice("across") == "x" ? 0 : 1, v.number("at_mm")));
        });
}

void add_copying(const Named& named) {
    named("copy devices", "in rows and columns",
        {devices(), whole("columns", "columns", 1, 100).usually(2), whole("rows", "rows", 1, 100).usually(1),
            place("pitch_x_mm", "pitch x"), place("pitch_y_mm", "pitch y").usually(0)},
        [](const Layout& l, const Values& v) {
            return copies(
                l, v, grid_of(v.whole("columns"), v.whole("rows"), v.number("pitch_x_mm"), v.number("pitch_y_mm")));
        });
    named("copy devices round", "on a circle",
        {devices(), whole("count", "number", 2, 200), place("x_mm", "x of the centre"),
            place("y_mm", "y of the centre"), place("over_deg", "angle").usually(360)},
        [](const Layout& l, const Values& v) {
            return copies(
                l, v, ring_of(v.whole("count"), {v.number("x_mm"), v.number("y_mm"), 0}, v.number("over_deg")));
        });
}

void add_keeping(const Named& named) {
    named("group devices", "selected together from now on", {devices(), text("name", "name of the group")},
        [](const Layout& l, const Values& v) { return each(l, v, "Group", "group", v.text("name")); });
    named("ungroup devices", "each for itself", {devices()},
        [](const Layout& l, const Values& v) { return each(l, v, "Ungroup", "group", nullptr); });
    named("lock devices", "not to be moved by hand", {devices()},
        [](const Layout& l, const Values& v) { return each(l, v, "Lock", "locked", true); });
    named("unlock devices", "to be moved by hand again", {devices()},
        [](const Layout& l, const Values& v) { return each(l, v, "Unlock", "locked", nullptr); });
}

}  // namespace

void add_device_edits(std::vector<NamedEdit>& all) {
    const Named named = [&](const char* name, const char* help, Fields arguments, auto act) {
        all.push_back({name, help, std::move(arguments), std::move(act)});
    };
    add_one_by_one(named);
    add_arranging(named);
    add_copying(named);
    add_keeping(named);
}

}  // namespace escarp::cell
