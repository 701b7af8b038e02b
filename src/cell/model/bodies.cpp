#include "device_kind.h"

#include "tables.h"

namespace escarp::cell {

using geometry::Body;
using geometry::Convex;

Body standing_box(std::string name, const Vector3& size, const Vector3& bottom) {
    return {std::move(name), Convex::box(size), geometry::make_frame(bottom + Vector3(0, 0, 0.5 * size.z()))};
}

Body standing_cylinder(std::string name, double diameter, double height, const Vector3& bottom) {
    return {std::move(name), Convex::cylinder(diameter, height),
        geometry::make_frame(bottom + Vector3(0, 0, 0.5 * height))};
}

Body read_body(const Reader& r) {
    const Values common(r, body_fields());
    const std::string name = common.text("name"), shape = common.choice("shape");
    const Values v(r, find_shape(shape)->fields);
    const Frame at = r.frame();
    const auto measure = [&](const char* key) {
        if (r.raw(key) == 0) r.problem(key, "The body has no size: at least 0.1 mm is expected.");
        return r.raw(key) == 0 ? 1e-4 : v.number(key);
    };
    const auto raised = [&](double height) { return at * geometry::make_frame({0, 0, 0.5 * height}); };
    if (shape == "box") {
        const json& three = r.raw("size_mm");
        const bool none = three.is_array() && std::find(three.begin(), three.end(), 0) != three.end();
        if (none)
            r.problem("size_mm", "The body has no size: length, width and height of at least 0.1 mm are expected.");
        const Vector3 sizes = none ? Vector3(Vector3::Constant(1e-4)) : v.vector("size_mm");
        return {name, Convex::box(sizes), raised(sizes.z())};
    }
    if (shape == "cylinder") {
        const double height = measure("height_mm");
        return {name, Convex::cylinder(measure("diameter_mm"), height), raised(height)};
    }
    if (shape == "capsule")
        return {name, Convex::capsule(v.vector("from_mm"), v.vector("to_mm"), measure("diameter_mm")), at};
    if (shape == "sphere") return {name, Convex::sphere(measure("diameter_mm")), at};
    std::vector<Vector3> points;
    const json& list = r.raw("points_mm");
    const bool fits = list.is_array() && list.size() >= 4 && list.size() <= 4096;
    if (fits) {
        for (const json& p : list) {
            const bool three =
                p.is_array() && p.size() == 3 && p[0].is_number() && p[1].is_number() && p[2].is_number();
            const Vector3 point =
                three ? Vector3(p[0].get<double>(), p[1].get<double>(), p[2].get<double>()) : Vector3::Constant(1e300);
            if (point.cwiseAbs().maxCoeff() <= 1e5) points.push_back(1e-3 * point);
        }
    }
    if (!fits || points.size() != list.size()) {
        r.problem("points_mm", "A list of 4 to 4096 points is expected, each a list of three numbers in mm.");
        points = {Vector3::Zero()};
    }
    return {name, Convex::hull(std::move(points)), at};
}

geometry::Bodies read_bodies(const Reader& r, const std::string& key, const std::vector<MeshAsset>& meshes) {
    geometry::Bodies bodies;
    for (const Reader& one : r.list(key, 200)) {
        if (one.raw("shape") != "mesh") {
            bodies.push_back(read_body(one));
            continue;
        }
        const std::string id = one.text("mesh");
        const auto found = std::find_if(meshes.begin(), meshes.end(), [&](const MeshAsset& m) { return m.id == id; });
        if (found == meshes.end()) {
            one.problem("mesh", "\"" + id + "\" is not the id of a mesh of this file.");
            continue;
        }
        const Frame at = one.frame();
        for (const geometry::Convex& piece : found->pieces) {
            Body body{one.text("name", found->name), piece, at};
            body.stand_in = true;
            if (&piece == &found->pieces.front()) body.mesh = id;
            bodies.push_back(std::move(body));
        }
    }
    return bodies;
}

}  // namespace escarp::cell
