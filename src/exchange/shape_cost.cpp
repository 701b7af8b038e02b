#include "shape_cost.h"

#include <cell/text/numbers.h>
#include <geometry/indices.h>
#include <inspection/clearance_time.h>

#include "mesh_import.h"

namespace escarp::exchange {
namespace {

using cell::json;

std::vector<geometry::Convex> hulls(const json& pieces) {
    std::vector<geometry::Convex> out;
    for (const json& corners : pieces) {
        std::vector<geometry::Vector3> points;
        for (std::size_t i = 0; i + 2 < corners.size(); i += 3)
            points.push_back(1e-3 * geometry::Vector3(corners[i].get<double>(), corners[i + 1].get<double>(),
                                        corners[i + 2].get<double>()));
        out.push_back(geometry::Convex::hull(std::move(points)));
    }
    return out;
}

}  // namespace

std::vector<std::string> meshes_of(const cell::Device& d) {
    std::vector<std::string> out;
    const auto look = [&](const geometry::Bodies& bodies) {
        for (const geometry::Body& b : bodies)
            if (!b.mesh.empty() && std::find(out.begin(), out.end(), b.mesh) == out.end()) out.push_back(b.mesh);
    };
    look(d.bodies);
    if (d.arm) {
        for (const auto& tool : d.arm->tools) look(tool.model->bodies);
        for (const auto& link : d.arm->model->mechanism.links) look(link.bodies);
    }
    return out;
}

ShapeCosts shape_costs(const cell::Layout& layout, const std::string& mesh, const std::vector<ShapeCut>& cuts,
    inspection::Cache& cache, const inspection::StopFlag* stop, const std::function<void(double)>& progress) {
    const json* entry = cell::find(layout.tree(), "/meshes/" + mesh);
    if (!entry) {
        std::string there;
        for (const json& one : layout.tree().value("meshes", json::array()))
            there += (there.empty() ? "" : ", ") + one.value("id", "");
        throw cell::InputError("mesh", "\"" + mesh + "\" is not the id of imported geometry" +
                                           (there.empty() ? "; the cell has none." : "; there are " + there + "."));
    }
    const std::optional<geometry::Surface> surface = surface_of(*entry);
    if (!surface)
        throw cell::InputError("mesh",
            "The surface of \"" + mesh + "\" is not in the cell's file, only its path; import it once more to cut it.");
    ShapeCosts all;
    all.name = entry->value("name", mesh);
    all.box = geometry::bounds(*surface);
    std::size_t done = 0;
    const auto cost_of = [&](const json& pieces, const cell::Layout& cut) {
        motion::throw_if_stopped(stop);
        ShapeCost c;
        c.pieces = static_cast<int>(pieces.size());
        const geometry::Beyond beyond = geometry::beyond(*surface, hulls(pieces));
        c.added_litres = 1e3 * beyond.volume, c.farthest = beyond.farthest, c.edge = beyond.edge;
        c.closed = beyond.closed;
        study::EvaluateOptions how;
        how.stop = stop, how.level = inspection::Level::flow;
        const study::Judged e = study::judge(cut.shared_cell(), cache, how);
        for (const int device : indices(e.cell->devices)) {
            const std::vector<std::string> meshes = meshes_of(e.cell->devices[device]);
            if (std::find(meshes.begin(), meshes.end(), mesh) == meshes.end()) continue;
            const auto curve = inspection::clearance_over_time(
                *e.cell, *e.run, cache, 0, simulation::seconds(study::stretch_of(*e.run).to), 1, device, -1, 1.0, stop);
            const inspection::LeastClearance& found = curve.bins.front();
            if (found.device_a >= 0 && (!c.clearance || found.distance < c.clearance->distance)) c.clearance = found;
        }
        if (progress) progress(static_cast<double>(++done) / static_cast<double>(cuts.size() + 1));
        return c;
    };
    all.now = cost_of(entry->value("pieces", json::array()), layout);
    geometry::PieceOptions options = piece_options(*surface, 1);
    all.now.next = geometry::next_cut(*surface, options);
    for (const ShapeCut& how : cuts) {
        options.most = how.most, options.first = how.by_hand;
        const json pieces = pieces_of(*surface, options);
        const cell::Edit edit{"Cut " + all.name + " into " + std::to_string(pieces.size()) + " pieces",
            {cell::Operation::set("/meshes/" + mesh + "/pieces", pieces)}};
        all.cut.push_back(cost_of(pieces, layout.edited(edit)));
        all.cut.back().edit = edit;
        all.cut.back().cut = how;
        if (!how.by_hand.empty()) all.cut.back().next = geometry::next_cut(*surface, options);
    }
    return all;
}

std::string in_words(const ShapeCost& c) {
    char text[160];
    std::snprintf(text, sizeof text, "%d piece%s add%s %.2f l, up to %.0f mm from the surface; ", c.pieces,
        c.pieces == 1 ? "" : "s", c.pieces == 1 ? "s" : "", c.added_litres, 1e3 * c.farthest);
    std::string out = text;
    if (!c.clearance) return out + "nothing comes nearer than a metre";
    std::snprintf(text, sizeof text, "least clearance %.1f mm, ", 1e3 * std::max(0.0, c.clearance->distance));
    return out + text + c.clearance->body_a + " and " + c.clearance->body_b;
}

std::string in_words(const std::vector<geometry::CutPlane>& planes) {
    std::string out;
    for (const geometry::CutPlane& p : planes)
        out += (out.empty() ? "" : ", ") + std::string(1, "xyz"[p.axis]) + " " + cell::fixed(1e3 * p.at, 1);
    return out + " mm";
}

}  // namespace escarp::exchange
