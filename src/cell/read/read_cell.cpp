#include <algorithm>
#include <cmath>
#include <set>

#include <cell/model/device_kind.h>
#include <cell/model/expression.h>
#include <cell/model/read_signals.h>
#include <cell/model/tables.h>
#include <cell/text/content_key.h>
#include <cell/text/names.h>
#include <geometry/indices.h>

#include "read_model.h"
#include "read_task.h"

namespace escarp::cell {
namespace {

/// What a mesh is drawn from; the core keeps only its convex pieces.
void read_drawn(const Values& v) {
    v.text("surface");
    if (v.has("size_mm")) v.numbers("size_mm");
    v.number("volume_cm3");
    v.whole("triangles");
    if (!v.has("link")) return;
    const Reader group = v.reader().group("link");
    const Values link(group, mesh_link_fields());
    if (link.text("file").empty()) link.problem("file", "The path of a geometry file is expected.");
    link.number("unit_m");
    link.flag("y_up");
    link.flag("bottom_centre");
}

/// Views that were stored and the picture under the Floor: the window reads them again where it shows them.
void read_for_the_window(const Values& v) {
    for (const Reader& r : v.list("views")) {
        const Values view(r, view_fields());
        view.text("id");
        view.text("name");
        for (const char* key : {"floor", "model"})
            if (view.has(key)) r.group(key);
    }
    if (v.has("underlay")) {
        const Reader group = v.reader().group("underlay");
        const Values under(group, underlay_fields());
        under.text("name");
        for (const char* key : {"x_mm", "y_mm", "width_mm", "turn_deg", "fade_pct"}) under.number(key);
        under.text("picture");
    }
    const json& retired = v.reader().raw("retired_ids");
    if (v.has("retired_ids") && (!retired.is_array() || !std::all_of(retired.begin(), retired.end(),
                                                            [](const json& id) { return id.is_string(); })))
        v.problem("retired_ids", "A list of ids is expected.");
}

MeshAsset read_mesh(const Reader& r) {
    MeshAsset m;
    const Values v(r, mesh_fields());
    m.id = v.id();
    m.name = v.text("name", m.id);
    m.colour = v.text("colour");
    read_drawn(v);
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

/// Where parts lie on a carrier, in the order of filling.
void read_seats(const Reader& r, PartType& p) {
    constexpr int most = 500;
    constexpr double farthest = 1e4;  // mm
    const Values v(r, carrier_fields());
    const int columns = v.whole("columns"), rows = v.whole("rows"), layers = v.whole("layers");
    const double dx = v.number("pitch_x_mm"), dy = v.number("pitch_y_mm"), dz = v.number("pitch_z_mm");
    const double height = v.number("height_mm", 1e3 * p.height), turn = v.number("layer_turn_deg");
    const bool along_x = v.choice("order") == "along x";
    std::vector<Vector3> plane;
    if (r.has("places_mm")) {
        for (const json& one : r.raw("places_mm"))
            if (one.is_array() && one.size() == 2 && one[0].is_number() && one[1].is_number() &&
                std::max(std::abs(one[0].get<double>()), std::abs(one[1].get<double>())) <= farthest)
                plane.emplace_back(1e-3 * one[0].get<double>(), 1e-3 * one[1].get<double>(), 0);
            else r.problem("places_mm", "A list of [x, y] in millimetres is expected, of up to 10,000 mm each.");
    } else {
        for (int i = 0; i < rows * columns; ++i) {
            const int row = along_x ? i / columns : i % rows, column = along_x ? i % columns : i / rows;
            plane.emplace_back((column - 0.5 * (columns - 1)) * dx, (row - 0.5 * (rows - 1)) * dy, 0);
        }
    }
    if (plane.size() * static_cast<std::size_t>(layers) > most)
        return r.problem("layers", "A carrier has at most " + std::to_string(most) + " seats.");
    for (int layer = 0; layer < layers; ++layer) {
        const bool other = layer % 2;
        const Frame base = geometry::make_frame(
            {other ? v.number("layer_x_mm") : 0.0, other ? v.number("layer_y_mm") : 0.0, height + layer * dz},
            {0, 0, other ? turn : 0.0});
        for (const Vector3& at : plane) p.seats.push_back(base * geometry::make_frame(at));
    }
    if (!r.has("fits")) return;
    if (!r.raw("fits").is_array()) return r.problem("fits", "A list of ids of part types is expected.");
    for (const json& id : r.raw("fits"))
        if (id.is_string()) p.fits.push_back(id.get<std::string>());
        else r.problem("fits", "A list of ids of part types is expected.");
}

PartType read_part_type(const Reader& r, const std::vector<MeshAsset>& meshes) {
    PartType p;
    const Values v(r, part_type_fields());
    p.id = v.id();
    p.name = v.text("name", p.id);
    p.colour = v.text("colour");
    p.bodies = read_bodies(r, "bodies", meshes);
    if (p.bodies.empty())
        r.problem("bodies",
            "A part type needs at least one body, for example {\"shape\": \"cylinder\", \"diameter_mm\": 80, "
            "\"height_mm\": 50}.");
    p.mass = v.number("mass_kg");
    for (const Reader& g : v.list("grips"))
        p.grips.push_back({g.id("id"), g.frame(), Values(g, grip_fields()).number("tolerance_mm")});
    const geometry::Box3 box = geometry::bounds(p.bodies, Frame::Identity());
    if (!box.empty()) p.length = 2 * std::max(std::abs(box.low.x()), std::abs(box.high.x())), p.height = box.high.z();
    if (r.has("seats")) read_seats(r.group("seats"), p);
    if (p.grips.empty()) p.grips.push_back({"top", geometry::make_frame({0, 0, p.height}, {geometry::pi, 0, 0}), 0});
    ContentKey key;
    add_bodies(key, p.bodies);
    for (const Frame& seat : p.seats) key.add(seat);
    p.shape_key = key.value();
    return p;
}

/// What carriers say they are for is there.
void check_fits(const Cell& cell, std::vector<Problem>& problems) {
    for (const PartType& p : cell.part_types)
        for (const std::string& id : p.fits)
            if (cell.part_type(id) < 0)
                problems.push_back({"part_types/" + p.id + "/seats/fits",
                    "\"" + id + "\" is not the id of a part type of this file."});
            else if (id == p.id)
                problems.push_back(
                    {"part_types/" + p.id + "/seats/fits", "A carrier cannot lie on one of its own kind."});
}

template <typename Item>
void refuse_twins(const std::vector<Item>& items, const std::string& list, std::vector<Problem>& problems) {
    std::set<std::string> ids;
    for (const Item& item : items)
        if (!ids.insert(item.id).second)
            problems.push_back(
                {list + "/" + item.id + "/id", "Two elements have the id \"" + item.id + "\"; give each its own."});
}

/// What stands on more than this many others, one on the other, is a problem: whatever goes up or down from hosts to
/// what they carry needs no bound of its own.
void check_hosts(Cell& cell, const std::vector<Reader>& readers) {
    constexpr int most = 100;
    for (const int i : indices(cell.devices)) {
        std::set<int> below;
        int host = cell.devices[i].host;
        while (host >= 0 && static_cast<int>(below.size()) <= most && below.insert(host).second)
            host = cell.devices[host].host;
        if (static_cast<int>(below.size()) <= most) continue;
        readers[i].problem("host", "\"" + cell.devices[i].name + "\" stands on more than " + std::to_string(most) +
                                       " devices, one on the other; put one of them on the floor.");
        cell.devices[i].host = -1;
    }
}

/// Places every device in the world; a ring of hosts is a problem.
void place_devices(Cell& cell, const std::vector<Reader>& readers) {
    check_hosts(cell, readers);
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
    const Values v(r, device_fields());
    d.id = v.id();
    d.name = v.text("name", d.id);
    if (d.name.empty()) r.problem("name", "The name is empty; give the device a name.");
    d.colour = v.text("colour");
    d.locked = v.flag("locked");
    d.price = v.number("price");
    d.power = v.number("power_W");
    d.group = v.text("group");
    if (v.has("safety_distance_mm")) d.own_distance = v.number("safety_distance_mm");
    const std::string kind = v.text("kind");
    d.kind = kinds.find(kind);
    if (!d.kind && r.raw("kind").is_string()) {
        std::string all;
        for (const auto& k : kinds.all()) all += (all.empty() ? "" : ", ") + k->id();
        r.problem("kind", "\"" + kind + "\" is not a kind of device; known are " + all + ".");
    }
    const Reader group = r.group("placement");
    const Values at(group, placement_fields());
    const Vector3 origin(at.number("x_mm"), at.number("y_mm"), at.number("z_mm"));
    d.placement = geometry::make_frame(origin, {at.number("rx_deg"), at.number("ry_deg"), at.number("turn_deg")});
}

void read_settings(const Values& v, Cell& cell) {
    v.reader().knows({"escarp", "variants", "baseline", "unfinished_models"});
    read_for_the_window(v);
    cell.name = v.text("name");
    cell.takt = v.number("takt_s");
    cell.horizon = v.number("horizon_s");
    cell.safety_distance = v.number("safety_distance_mm");
    cell.seed = static_cast<std::uint64_t>(v.whole("seed"));
    const Reader costs = v.reader().group("costs");
    const Values c(costs, cost_fields());
    cell.costs = {c.number("parts_per_year"), c.number("years"), c.number("per_kWh")};
    for (const Reader& s : v.list("studies")) cell.studies.push_back(read_study(s));
    refuse_twins(cell.studies, "studies", v.reader().problems());
    for (const Reader& l : v.list("links")) cell.links.push_back(read_link(l));
    refuse_twins(cell.links, "links", v.reader().problems());
}

/// What devices are made of.
void read_models(const Values& v, Cell& cell) {
    for (const Reader& m : v.list("meshes")) cell.meshes.push_back(read_mesh(m));
    for (const Reader& p : v.list("part_types")) cell.part_types.push_back(read_part_type(p, cell.meshes));
    for (const Reader& a : v.list("arm_models")) cell.arm_models.push_back(read_arm_model(a, cell.meshes));
    for (const Reader& t : v.list("tool_models")) cell.tool_models.push_back(read_tool_model(t, cell.meshes));
    std::vector<Problem>& problems = v.reader().problems();
    refuse_twins(cell.meshes, "meshes", problems);
    refuse_twins(cell.part_types, "part_types", problems);
    check_fits(cell, problems);
    refuse_twins(cell.arm_models, "arm_models", problems);
    refuse_twins(cell.tool_models, "tool_models", problems);
}

/// `models_fit`: else arms are not made of them.
void read_devices(
    const Reader& r, const std::vector<Reader>& readers, const Kinds& kinds, bool models_fit, Cell& cell) {
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
        if (d.kind->has_arm() && models_fit) read_arm(readers[i], cell, d);
        read_signals(readers[i], d);
    }
}

/// Tasks can be read though something is wrong with a device, as long as every kind and every arm is known.
bool tasks_make_sense(const Cell& cell) {
    return std::all_of(cell.devices.begin(), cell.devices.end(),
        [](const Device& d) { return d.kind && (!d.kind->has_arm() || d.arm); });
}

/// What one device needs of another is there.
void check_needs(const Reader& r, const Cell& cell, int index) {
    const Device& d = cell.devices[index];
    for (const auto& [key, id] : d.needs) {
        const int next = cell.device(id);
        if (next < 0) r.problem(key, "\"" + id + "\" is not the id of a device.");
        else if (next == index || !cell.devices[next].kind->follows_belts())
            r.problem(key, "\"" + cell.devices[next].name +
                               "\" takes no parts from a belt; another conveyor, a fixture or an outfeed is expected.");
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

void read_exclusions(const Values& v, Cell& cell) {
    for (const Reader& e : v.list("excluded_pairs")) {
        const Values pair(e, exclusion_fields());
        Exclusion x{cell.device(pair.text("a")), cell.device(pair.text("b")), pair.text("reason")};
        x.body_a = pair.text("a_body"), x.body_b = pair.text("b_body");
        if (pair.has("distance_mm")) x.distance = pair.number("distance_mm");
        if (pair.has("while")) {
            const std::string words = pair.text("while");
            const auto meaning = [&](const std::string& name) { return named_signal(cell, -1, false, name); };
            try {
                x.only_while = std::make_shared<const Expression>(Expression::condition(words, meaning));
            } catch (const ExpressionError& error) {
                e.problem("while", error.message(words));
            }
            if (x.distance)
                e.problem("distance_mm",
                    "With \"while\" the pair is not judged at times, with a distance always: one of "
                    "the two is expected.");
        }
        if (x.a < 0) e.problem("a", "The id of a device is expected.");
        if (x.b < 0 && !pair.text("b").empty())
            e.problem("b", "The id of a device is expected, or none for everything else.");
        if (x.b < 0 && !x.body_b.empty()) e.problem("b_body", "The device that it is of, \"b\", is missing.");
        if (x.a >= 0 && x.a == x.b) e.problem("b", "It is the first one, too; another device is expected.");
        cell.exclusions.push_back(x);
    }
}

std::shared_ptr<Cell> read_with(const json& resolved, const Kinds& kinds, KeyLedger& ledger) {
    std::vector<Problem> problems;
    const auto done = [&problems] {
        if (!problems.empty()) throw InputError(std::move(problems));
    };
    auto cell = std::make_shared<Cell>();
    const Reader r(resolved, "", problems, &ledger);
    const Values v(r, cell_fields());
    read_settings(v, *cell);
    read_models(v, *cell);
    const std::vector<Reader> readers = v.list("devices"), blocks = v.list("blocks");
    read_devices(r, readers, kinds, problems.empty(), *cell);
    if (!tasks_make_sense(*cell)) done();  // else every mistake is told at once
    place_devices(*cell, readers);
    number_signals(*cell);
    check_addresses(r, *cell);
    read_blocks(blocks, *cell);
    refuse_twins(cell->blocks, "blocks", problems);
    for (const int i : indices(readers)) {
        read_sources(readers[i], *cell, i);
        read_tasks(readers[i], kinds, *cell, cell->devices[i], blocks);
        check_needs(readers[i], *cell, i);
        cell->devices[i].kind->settled(readers[i], *cell, cell->devices[i]);
    }
    read_exclusions(v, *cell);
    done();
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
    cell->unknown_keys = in_words.unknown_keys();
    return cell;
}

}  // namespace escarp::cell
