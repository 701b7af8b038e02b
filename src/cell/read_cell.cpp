#include <algorithm>
#include <cmath>
#include <set>

#include "device_kind.h"
#include "names.h"
#include "read_model.h"
#include "read_task.h"

namespace escarp::cell {
namespace {

/// What a mesh is drawn from; the core keeps only its convex pieces.
void read_drawn(const Reader& r) {
    r.text("surface", "");
    if (r.has("size_mm")) r.numbers("size_mm", 3, {0, 1e6});
    r.number("volume_cm3", {-1e15, 1e15}, 0);
    r.whole("triangles", 0, 1'000'000'000, 0);
    if (!r.has("link")) return;
    const Reader link = r.group("link");
    if (link.text("file").empty()) link.problem("file", "The path of a geometry file is expected.");
    link.number("unit_m", {1e-6, 1000}, 1e-3);
    link.flag("y_up", false);
    link.flag("bottom_centre", true);
}

/// Views that were stored and the picture under the Floor: the window reads them again where it shows them.
void read_for_the_window(const Reader& r) {
    for (const Reader& view : r.list("views", 1000)) {
        view.text("id", "");
        view.text("name", "");
        for (const char* key : {"floor", "model"})
            if (view.has(key)) view.group(key);
    }
    if (r.has("underlay")) {
        const Reader under = r.group("underlay");
        under.text("name", "");
        for (const char* key : {"x_mm", "y_mm"}) under.number(key, {-1e7, 1e7}, 0);
        under.number("width_mm", {0, 1e7}, 5000);
        under.number("turn_deg", {-1e6, 1e6}, 0);
        under.number("fade_pct", {0, 100}, 50);
        under.text("picture", "");
    }
    const json& retired = r.raw("retired_ids");
    if (r.has("retired_ids") && (!retired.is_array() || !std::all_of(retired.begin(), retired.end(),
                                                            [](const json& id) { return id.is_string(); })))
        r.problem("retired_ids", "A list of ids is expected.");
}

MeshAsset read_mesh(const Reader& r) {
    MeshAsset m;
    m.id = r.id("id");
    m.name = r.text("name", m.id);
    m.colour = r.text("colour", "");
    read_drawn(r);
    const json& pieces = r.raw("pieces");
    bool fits = pieces.is_array() && !pieces.empty() && pieces.size() <= 200;
    if (fits)
        for (const json& piece : pieces) {
            std::vector<Vector3> points;
            fits = fits && piece.is_array() && piece.size() % 3 == 0 && piece.size() >= 12 &&
                   piece.size() <= std::size_t{3} * 512;
            for (std::size_t i = 0; fits && i + 2 < piece.size(); i += 3) {
                fits = piece[i].is_number() && piece[i + 1].is_number() && piece[i + 2].is_number();
                if (fits)
                    points.emplace_back(
                        1e-3 * Vector3(piece[i].get<double>(), piece[i + 1].get<double>(), piece[i + 2].get<double>()));
                fits = fits && points.back().cwiseAbs().maxCoeff() <= 100;
            }
            if (!fits) break;
            m.pieces.push_back(geometry::Convex::hull(std::move(points)));
        }
    if (!fits)
        r.problem("pieces",
            "1 to 200 convex pieces are expected, each a list of 12 to 1536 numbers: x, y, z in mm of one corner after "
            "the other.");
    return m;
}

PartType read_part_type(const Reader& r, const std::vector<MeshAsset>& meshes) {
    PartType p;
    p.id = r.id("id");
    p.name = r.text("name", p.id);
    p.colour = r.text("colour", "");
    p.bodies = read_bodies(r, "bodies", meshes);
    if (p.bodies.empty())
        r.problem("bodies",
            "A part type needs at least one body, for example {\"shape\": \"cylinder\", \"diameter_mm\": 80, "
            "\"height_mm\": 50}.");
    p.mass = r.number("mass_kg", {0, 5000});
    for (const Reader& g : r.list("grips", 100)) p.grips.push_back({g.id("id"), g.frame()});
    const geometry::Box3 box = geometry::bounds(p.bodies, Frame::Identity());
    if (!box.empty()) p.length = 2 * std::max(std::abs(box.low.x()), std::abs(box.high.x())), p.height = box.high.z();
    if (p.grips.empty()) p.grips.push_back({"top", geometry::make_frame({0, 0, p.height}, {geometry::pi, 0, 0})});
    return p;
}

template <typename Item>
void refuse_twins(const std::vector<Item>& items, const std::string& list, std::vector<Problem>& problems) {
    std::set<std::string> ids;
    for (const Item& item : items)
        if (!ids.insert(item.id).second)
            problems.push_back(
                {list + "/" + item.id + "/id", "Two elements have the id \"" + item.id + "\"; give each its own."});
}

/// Places every device in the world; a ring of hosts is a problem.
void place_devices(Cell& cell, const std::vector<Reader>& readers) {
    std::vector<int> state(cell.devices.size(), 0);
    const auto place = [&](auto&& self, std::size_t i) -> bool {
        if (state[i] == 2) return true;
        if (state[i] == 1) return false;
        state[i] = 1;
        Device& d = cell.devices[i];
        if (d.host >= 0 && !self(self, static_cast<std::size_t>(d.host))) {
            readers[i].problem(
                "host", "\"" + d.name + "\" would stand on itself through its hosts; put one of them on the floor.");
            d.host = -1;
        }
        d.world = d.host >= 0 ? cell.devices[d.host].mount_world() * d.placement : d.placement;
        state[i] = 2;
        return true;
    };
    for (std::size_t i = 0; i < cell.devices.size(); ++i) place(place, i);
}

void read_device_outline(const Reader& r, const Kinds& kinds, Device& d) {
    d.id = r.id("id");
    d.name = r.text("name", d.id);
    if (d.name.empty()) r.problem("name", "The name is empty; give the device a name.");
    d.colour = r.text("colour", "");
    d.locked = r.flag("locked", false);
    d.group = r.text("group", "");
    const std::string kind = r.text("kind");
    d.kind = kinds.find(kind);
    if (!d.kind && r.raw("kind").is_string()) {
        std::string all;
        for (const auto& k : kinds.all()) all += (all.empty() ? "" : ", ") + k->id();
        r.problem("kind", "\"" + kind + "\" is not a kind of device; known are " + all + ".");
    }
    const Reader at = r.group("placement");
    const Vector3 origin(
        at.number("x_mm", millimetres, 0), at.number("y_mm", millimetres, 0), at.number("z_mm", millimetres, 0));
    d.placement = geometry::make_frame(
        origin, {at.number("rx_deg", angle, 0), at.number("ry_deg", angle, 0), at.number("turn_deg", angle, 0)});
}

void read_settings(const Reader& r, Cell& cell) {
    r.knows({"escarp", "variants", "baseline", "unfinished_models"});
    read_for_the_window(r);
    cell.name = r.text("name", "Cell");
    cell.takt = r.number("takt_s", {0, 1e5}, 0);
    cell.horizon = r.number("horizon_s", {1, 1e6}, 900);
    cell.safety_distance = r.number("safety_distance_mm", {0, 1000}, 20);
    cell.seed = static_cast<std::uint64_t>(r.whole("seed", 0, 1000000000, 1));
}

/// What devices are made of.
void read_models(const Reader& r, Cell& cell) {
    for (const Reader& m : r.list("meshes", 500)) cell.meshes.push_back(read_mesh(m));
    for (const Reader& p : r.list("part_types", 500)) cell.part_types.push_back(read_part_type(p, cell.meshes));
    for (const Reader& a : r.list("arm_models", 200)) cell.arm_models.push_back(read_arm_model(a, cell.meshes));
    for (const Reader& t : r.list("tool_models", 200)) cell.tool_models.push_back(read_tool_model(t, cell.meshes));
    refuse_twins(cell.meshes, "meshes", r.problems());
    refuse_twins(cell.part_types, "part_types", r.problems());
    refuse_twins(cell.arm_models, "arm_models", r.problems());
    refuse_twins(cell.tool_models, "tool_models", r.problems());
}

void read_devices(const Reader& r, const std::vector<Reader>& readers, const Kinds& kinds, Cell& cell) {
    cell.devices.resize(readers.size());
    for (std::size_t i = 0; i < readers.size(); ++i) read_device_outline(readers[i], kinds, cell.devices[i]);
    refuse_twins(cell.devices, "devices", r.problems());
    std::set<std::string> names;
    for (std::size_t i = 0; i < readers.size(); ++i) {
        Device& d = cell.devices[i];
        if (!names.insert(d.name).second)
            readers[i].problem(
                "name", "Another device is already named \"" + d.name + "\"; names are unique in a cell.");
        const std::string host = readers[i].text("host", "floor");
        d.host = host == "floor" ? -1 : cell.device(host);
        if (host != "floor" && d.host < 0)
            readers[i].problem(
                "host", "\"" + host + "\" is not the id of a device; \"floor\" or a device's id is expected.");
        if (!d.kind) continue;
        d.kind->read(readers[i], cell, d);
        if (d.look == Look::arm) read_arm(readers[i], cell, d);
    }
}

/// What one device needs of another is there.
void check_needs(const Reader& r, const Cell& cell, int index) {
    const Device& d = cell.devices[index];
    for (const auto& [key, id] : d.needs) {
        const int next = cell.device(id);
        if (next < 0) r.problem(key, "\"" + id + "\" is not the id of a device.");
        else if (const Look look = cell.devices[next].look; next == index || (look != Look::belt && look != Look::sink))
            r.problem(key, "\"" + cell.devices[next].name +
                               "\" takes no parts from a belt; another conveyor or an outfeed is expected.");
    }
    if (!d.needs_part_type.empty() && cell.part_type(d.needs_part_type) < 0)
        r.problem("part_type", "\"" + d.needs_part_type + "\" is not the id of a part type of this file.");
}

void read_blocks(const std::vector<Reader>& readers, Cell& cell) {
    for (const Reader& b : readers) {
        cell.blocks.push_back({b.id("id"), b.text("name", b.id("id"))});
        if (!b.has("steps")) b.problem("steps", "The key is missing; a list of steps is expected.");
    }
}

void read_exclusions(const Reader& r, Cell& cell) {
    for (const Reader& e : r.list("excluded_pairs", 2000)) {
        const Exclusion x{cell.device(e.text("a")), cell.device(e.text("b")), e.text("reason", "")};
        if (x.a < 0) e.problem("a", "The id of a device is expected.");
        if (x.b < 0) e.problem("b", "The id of a device is expected.");
        cell.exclusions.push_back(x);
    }
}

std::shared_ptr<Cell> read_with(const json& resolved, const Kinds& kinds, KeyLedger& ledger) {
    std::vector<Problem> problems;
    // What comes builds on what is there.
    const auto go_on = [&problems] {
        if (!problems.empty()) throw InputError(std::move(problems));
    };
    auto cell = std::make_shared<Cell>();
    const Reader r(resolved, "", problems, &ledger);
    read_settings(r, *cell);
    read_models(r, *cell);
    go_on();
    const std::vector<Reader> readers = r.list("devices", 2000), blocks = r.list("blocks", 200);
    read_devices(r, readers, kinds, *cell);
    go_on();
    place_devices(*cell, readers);
    read_blocks(blocks, *cell);
    refuse_twins(cell->blocks, "blocks", problems);
    for (std::size_t i = 0; i < readers.size(); ++i) {
        cell->devices[i].task = read_task(readers[i], kinds, *cell, cell->devices[i], blocks);
        check_needs(readers[i], *cell, static_cast<int>(i));
    }
    read_exclusions(r, *cell);
    go_on();
    return cell;
}

}  // namespace

std::shared_ptr<const Cell> read_cell(const json& resolved, const Kinds& kinds) {
    KeyLedger ledger(false);
    const std::shared_ptr<Cell> cell = read_with(resolved, kinds, ledger);
    if (ledger.complete()) return cell;
    // Seldom: what may have been meant needs the words, too.
    KeyLedger in_words(true);
    read_with(resolved, kinds, in_words);
    cell->slips = in_words.slips();
    return cell;
}

}  // namespace escarp::cell
