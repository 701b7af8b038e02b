// Commands about the layout.

#include <filesystem>

#include <cell/edits/build_model.h>
#include <cell/text/names.h>
#include <exchange/mesh_import.h>
#include <exchange/urdf.h>
#include <study/named_edits.h>

#include "held_cell.h"

namespace escarp::cli {
namespace {

void answer(const json& value) {
    std::cout << value.dump(-1, ' ', false, json::error_handler_t::replace) << std::endl;
    if (!std::cout) throw OutputFailed();
}

}  // namespace

/// Lines: {"name": ..., "operations": [{"at": ..., "value": ...}, ...]}, {"save": true}. Each is answered by a line; an
/// edit that is acknowledged survives whatever happens to the program.
int edit(Arguments& a) {
    HeldCell held(a);
    std::string line;
    int number = 0, code = 0;
    while (std::getline(std::cin, line)) {
        if (line.empty()) continue;
        ++number;
        try {
            const json command = cell::parse_json(line);
            if (!command.is_object())
                throw cell::InputError("line " + std::to_string(number),
                    "A group of keys is expected: {\"do\": \"add device\", ...}, {\"name\": ..., \"operations\": "
                    "[...]} or {\"save\": true}.");
            if (command.value("save", false)) {
                held.save();
                answer({{"line", number}, {"saved", true}});
                continue;
            }
            if (command.contains("do")) {
                const cell::Change change =
                    cell::carry_out(simulation::layout(held.document(), a.variant), command, study::named_edits());
                held.edit(change.document, change.name);
                json said{{"line", number}, {"done", change.name}};
                if (!change.made.is_null()) said["made"] = change.made;
                answer(said);
                continue;
            }
            cell::Edit edit{command.value("name", "Edit"), {}};
            if (!command.contains("operations") || !command["operations"].is_array())
                throw cell::InputError("operations", "A list of operations is expected.");
            for (const json& op : command["operations"])
                edit.operations.push_back(cell::Operation::from_json(op, "operations"));
            held.edit(held.document().edited(a.variant, edit), edit.name);
            answer({{"line", number}, {"done", edit.name}});
        } catch (const cell::InputError& e) {
            code = 2;
            const cell::Problem& first = e.problems().front();
            answer({{"line", number}, {"refused", first.message},
                {"where", first.where.empty() ? "line " + std::to_string(number) : first.where}});
        } catch (const json::exception&) {
            code = 2;
            answer({{"line", number}, {"refused", "A value of this line is of another kind than its key expects."},
                {"where", "line " + std::to_string(number)}});
        }
    }
    if (!held.saved()) held.save();
    return code;
}

int recover(Arguments& a) {
    const std::string room = cell::SafeFile::usual_room();
    cell::SafeFile safe(room);
    if (!safe.hold(a.file))
        throw cell::InputError(a.file, "The cell is open in another program; nothing was interrupted.");
    std::optional<cell::Document> on_disk;
    std::string wrong;
    try {
        on_disk = cell::Document::load(a.file);
    } catch (const cell::InputError& e) {
        wrong = e.problems().front().message;
    }
    const auto found = on_disk ? safe.left_over(*on_disk) : safe.left_of_lost();
    if (!found) {
        if (!on_disk) throw cell::InputError(a.file, wrong + " Nothing was left behind that could take its place.");
        safe.begin(*on_disk, true);
        std::cout << a.file << ": nothing was left behind\n";
        return 0;
    }
    if (!on_disk)
        std::cout << a.file << ": " << wrong << " The journal beside it holds the whole cell"
                  << (found->edits ? ", with " + std::to_string(found->edits) + " edits that were not saved.\n"
                                   : ".\n");
    else
        std::cout << a.file << ": " << found->edits << " edits that were not saved, the last: " << found->last_edit
                  << "\n";
    if (a.take_it) {
        // What is taken has to be a cell, or the file would be none afterwards.
        for (const cell::VariantInfo& v : found->document.variants()) {
            const std::vector<cell::Problem> wrong_there = problems_of(found->document, v.id);
            if (!wrong_there.empty() &&
                (!on_disk || !on_disk->has_variant(v.id) || problems_of(*on_disk, v.id).empty()))
                throw cell::InputError(wrong_there.front().where,
                    "With these edits variant " + v.id + " would be no cell: " + wrong_there.front().message +
                        " Nothing was taken; --drop keeps the edits aside.");
        }
        if (on_disk && found->before_edits && !(*found->before_edits == *on_disk)) {
            const std::string kept = cell::SafeFile::keep_dropped(room, *on_disk);
            std::cout << "the file was changed after them; what it held is kept as "
                      << (kept.empty() ? throw cell::InputError(
                                             room, "It cannot be kept: the folder cannot be written. Nothing was done.")
                                       : kept)
                      << "\n";
        }
        safe.save(found->document, {.changes = true});
        std::cout << "they are in the file now\n";
    } else if (a.drop_it) {
        const std::string kept = cell::SafeFile::keep_dropped(room, found->document);
        if (kept.empty())
            throw cell::InputError(
                room, "The edits were not dropped: they cannot be kept aside, the folder cannot be written.");
        if (on_disk) safe.begin(*on_disk, true);
        else safe.forget();
        std::cout << "they are dropped; in case that was wrong, the cell with them is " << kept << "\n";
    } else {
        std::cout << "--take brings them back, --drop leaves the file as it is\n";
    }
    return 0;
}

int import(Arguments& a) {
    HeldCell held(a);
    const cell::Document& d = held.document();
    const exchange::LoadedSurface loaded = exchange::load_surface(a.mesh);
    exchange::ImportOptions o;
    if (!a.unit.empty()) o.unit = a.unit == "m" ? 1 : a.unit == "cm" ? 0.01 : a.unit == "in" ? 0.0254 : 1e-3;
    else if (loaded.unit > 0) o.unit = loaded.unit;
    else std::cerr << a.mesh << ": the file does not say its unit; mm is taken (--unit says otherwise)\n";
    o.y_up = a.y_up;
    o.bottom_centre = !a.keep_origin;
    const std::filesystem::path path(a.mesh);
    o.name = a.name.empty() ? path.stem().string() : a.name;
    if (a.link) o.link = std::filesystem::relative(path, std::filesystem::absolute(a.file).parent_path()).string();
    const json entry = exchange::mesh_entry(loaded, o, cell::free_id(d.tree(), o.name));
    const exchange::ImportAs as = a.as == "tool"        ? exchange::ImportAs::tool
                                  : a.as == "fixture"   ? exchange::ImportAs::fixture
                                  : a.as == "part-type" ? exchange::ImportAs::part_type
                                                        : exchange::ImportAs::structure;
    std::string id;
    const cell::Edit edit = exchange::import_edit(simulation::layout(d, a.variant), entry, as, &id);
    held.edit(d.edited(a.variant, edit), edit.name);
    held.save();
    const json told = {{"id", id}, {"mesh", entry["id"]}, {"triangles", entry["triangles"]},
        {"size_mm", entry["size_mm"]}, {"volume_cm3", entry["volume_cm3"]}, {"pieces", entry["pieces"].size()}};
    if (a.as_json) print(told);
    else
        std::cout << o.name << ": " << told["triangles"] << " triangles, " << told["size_mm"].dump() << " mm, "
                  << told["volume_cm3"] << " cm3, " << told["pieces"] << " convex pieces\n";
    return 0;
}

int read_urdf(Arguments& a) {
    HeldCell held(a);
    const cell::Document& d = held.document();
    const exchange::UrdfArm arm = exchange::read_urdf(a.mesh, d, {}, a.meshes);
    cell::Document next = d.edited(a.variant, exchange::urdf_edit(simulation::layout(d, a.variant), arm));
    const std::string id = arm.model["id"];
    const std::vector<cell::Problem> mistakes =
        cell::read_draft(arm.model, simulation::layout(next, a.variant).shared_cell()->meshes).problems;
    std::string device;
    if (a.place && mistakes.empty())
        next = next.edited(a.variant,
            cell::add_device(simulation::layout(next, a.variant), {"arm", id, arm.model["name"]}, {}, &device));
    held.edit(next, "Read " + a.mesh);
    held.save();
    if (a.as_json) {
        json told = {{"model", id}, {"links", arm.model["links"].size()}, {"joints", arm.model["joints"].size()},
            {"meshes", arm.meshes.size()}, {"notes", arm.notes}, {"to_mend", json::array()}};
        for (const cell::Problem& p : mistakes) told["to_mend"].push_back({{"where", p.where}, {"message", p.message}});
        if (!device.empty()) told["device"] = device;
        print(told);
    } else {
        std::cout << id << ": " << arm.model["links"].size() << " links, " << arm.model["joints"].size() << " joints, "
                  << arm.meshes.size() << " surfaces" << (device.empty() ? "" : ", placed as " + device) << "\n";
        for (const std::string& n : arm.notes) std::cout << "  " << n << "\n";
        for (const cell::Problem& p : mistakes) std::cout << "  to mend: " << p.where << ": " << p.message << "\n";
    }
    return mistakes.empty() ? 0 : 1;
}

}  // namespace escarp::cli
