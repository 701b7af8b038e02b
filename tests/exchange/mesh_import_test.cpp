// Geometry from CAD files: known solids come in at their size and volume; broken files give a clear error.
#include <catch2/catch.hpp>
#include <cmath>
#include <filesystem>
#include <fstream>
#include <unistd.h>

#include <cell/text/names.h>
#include <exchange/mesh_import.h>
#include <geometry/distance.h>
#include <geometry/mesh.h>

#include "support/cells.h"
#include "support/folder.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::exchange;
using cell::json;
using geometry::Surface;
using geometry::Vector3;

using escarp::tests::Folder;

namespace {

/// A box with one corner at the origin, outwards.
Surface box(float x, float y, float z) {
    Surface s;
    for (int i = 0; i < 8; ++i) s.points.emplace_back(i & 1 ? x : 0, i & 2 ? y : 0, i & 4 ? z : 0);
    s.triangles = {{0, 2, 1}, {1, 2, 3}, {4, 5, 6}, {5, 7, 6}, {0, 1, 4}, {1, 5, 4}, {2, 6, 3}, {3, 6, 7}, {0, 4, 2},
        {2, 4, 6}, {1, 3, 5}, {3, 7, 5}};
    return s;
}

Surface ball(float r, int n) {
    Surface s;
    for (int i = 0; i <= n; ++i)
        for (int j = 0; j < 2 * n; ++j) {
            const double a = geometry::pi * i / n, b = geometry::pi * j / n;
            s.points.emplace_back(static_cast<float>(r * std::sin(a) * std::cos(b)),
                static_cast<float>(r * std::sin(a) * std::sin(b)), static_cast<float>(r * std::cos(a)));
        }
    const auto at = [&](int i, int j) { return static_cast<std::uint32_t>(i * 2 * n + (j % (2 * n))); };
    for (int i = 0; i < n; ++i)
        for (int j = 0; j < 2 * n; ++j) {
            s.triangles.push_back({at(i, j), at(i + 1, j), at(i + 1, j + 1)});
            s.triangles.push_back({at(i, j), at(i + 1, j + 1), at(i, j + 1)});
        }
    return s;
}

std::string stl(const Surface& s) {  // binary
    std::string out(80, ' ');
    const auto put = [&](const auto& v) { out.append(reinterpret_cast<const char*>(&v), sizeof v); };
    put(static_cast<std::uint32_t>(s.triangles.size()));
    for (const auto& t : s.triangles) {
        const Eigen::Vector3f n = (s.points[t[1]] - s.points[t[0]]).cross(s.points[t[2]] - s.points[t[0]]).normalized();
        for (int i = 0; i < 3; ++i) put(n[i]);
        for (const auto k : t)
            for (int i = 0; i < 3; ++i) put(s.points[k][i]);
        put(std::uint16_t{0});
    }
    return out;
}

std::string obj(const Surface& s) {
    std::string out = "o thing\n";
    for (const auto& p : s.points)
        out += "v " + std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
    for (const auto& t : s.triangles)
        out += "f " + std::to_string(t[0] + 1) + " " + std::to_string(t[1] + 1) + " " + std::to_string(t[2] + 1) + "\n";
    return out;
}

std::string ply(const Surface& s) {
    std::string out = "ply\nformat ascii 1.0\nelement vertex " + std::to_string(s.points.size()) +
                      "\nproperty float x\nproperty float y\nproperty float z\nelement face " +
                      std::to_string(s.triangles.size()) + "\nproperty list uchar int vertex_indices\nend_header\n";
    for (const auto& p : s.points)
        out += std::to_string(p.x()) + " " + std::to_string(p.y()) + " " + std::to_string(p.z()) + "\n";
    for (const auto& t : s.triangles)
        out += "3 " + std::to_string(t[0]) + " " + std::to_string(t[1]) + " " + std::to_string(t[2]) + "\n";
    return out;
}

/// glTF 2.0 with its buffer as a data URI; y up, metres.
std::string gltf(const Surface& s) {
    std::string raw;
    const auto put = [&](const auto& v) { raw.append(reinterpret_cast<const char*>(&v), sizeof v); };
    Vector3 low = Vector3::Constant(1e9), high = -low;
    for (const auto& p : s.points)
        for (int i = 0; i < 3; ++i)
            put(p[i]), low[i] = std::min<double>(low[i], p[i]), high[i] = std::max<double>(high[i], p[i]);
    for (const auto& t : s.triangles)
        for (const std::uint32_t i : t) put(i);
    static const char* digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string text;
    for (std::size_t i = 0; i < raw.size(); i += 3) {
        std::uint32_t v = 0;
        for (std::size_t k = 0; k < 3; ++k)
            v = v << 8 | (i + k < raw.size() ? static_cast<unsigned char>(raw[i + k]) : 0u);
        for (std::size_t k = 0; k < 4; ++k) text += i + k <= raw.size() ? digits[v >> (18 - 6 * k) & 63] : '=';
    }
    const std::size_t split = 12 * s.points.size();
    const json j = {{"asset", {{"version", "2.0"}}}, {"scene", 0}, {"scenes", {{{"nodes", {0}}}}},
        {"nodes", {{{"mesh", 0}}}},
        {"meshes", {{{"primitives", {{{"attributes", {{"POSITION", 0}}}, {"indices", 1}}}}}}},
        {"buffers", {{{"uri", "data:application/octet-stream;base64," + text}, {"byteLength", raw.size()}}}},
        {"bufferViews", {{{"buffer", 0}, {"byteOffset", 0}, {"byteLength", split}},
                            {{"buffer", 0}, {"byteOffset", split}, {"byteLength", raw.size() - split}}}},
        {"accessors",
            {{{"bufferView", 0}, {"componentType", 5126}, {"count", s.points.size()}, {"type", "VEC3"},
                 {"min", {low.x(), low.y(), low.z()}}, {"max", {high.x(), high.y(), high.z()}}},
                {{"bufferView", 1}, {"componentType", 5125}, {"count", 3 * s.triangles.size()}, {"type", "SCALAR"}}}}};
    return j.dump();
}

/// A block as STEP AP214, faces written one by one (ISO 10303-21).
std::string step_block(double x, double y, double z) {
    std::string out =
        "ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('block','2026-01-01T00:00:00',(''),(''),'',''"
        ",'');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN { 1 0 10303 214 1 1 1 1 }'));\nENDSEC;\nDATA;\n";
    int id = 0;
    const auto add = [&](const std::string& what) {
        out += "#" + std::to_string(++id) + "=" + what + ";\n";
        return "#" + std::to_string(id);
    };
    const auto real = [](double v) {
        char s[32];
        std::snprintf(s, sizeof s, "%.6f", v);
        return std::string(s);
    };
    const auto triple = [&](double a, double b, double c) {
        return "(" + real(a) + "," + real(b) + "," + real(c) + ")";
    };
    const std::string app = add("APPLICATION_CONTEXT('core data for automotive mechanical design processes')");
    const std::string pc = add("PRODUCT_CONTEXT(''," + app + ",'mechanical')"),
                      product = add("PRODUCT('block','block','',(" + pc + "))");
    const std::string formation = add("PRODUCT_DEFINITION_FORMATION('',''," + product + ")"),
                      dc = add("PRODUCT_DEFINITION_CONTEXT('part definition'," + app + ",'design')");
    const std::string definition = add("PRODUCT_DEFINITION('design',''," + formation + "," + dc + ")"),
                      shape = add("PRODUCT_DEFINITION_SHAPE('',''," + definition + ")");
    const std::string mm = add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))"),
                      rad = add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))"),
                      sr = add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())");
    const std::string u =
        add("UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-07)," + mm + ",'distance_accuracy_value','')");
    const std::string context =
        add("(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((" + u +
            "))GLOBAL_UNIT_ASSIGNED_CONTEXT((" + mm + "," + rad + "," + sr + "))REPRESENTATION_CONTEXT('',''))");
    std::string vertex[8], point[8];
    for (int i = 0; i < 8; ++i) {
        point[i] = add("CARTESIAN_POINT(''," + triple(i & 1 ? x : 0, i & 2 ? y : 0, i & 4 ? z : 0) + ")");
        vertex[i] = add("VERTEX_POINT(''," + point[i] + ")");
    }
    std::map<std::pair<int, int>, std::string> edges;
    const auto edge = [&](int a, int b) {
        const bool forward = a < b;
        const auto key = std::minmax(a, b);
        auto& e = edges[key];
        if (e.empty()) {
            const int d = key.first ^ key.second;
            const std::string direction = add("DIRECTION(''," + triple(d == 1, d == 2, d == 4) + ")"),
                              vector = add("VECTOR(''," + direction + ",1.)"),
                              line = add("LINE(''," + point[key.first] + "," + vector + ")");
            e = add("EDGE_CURVE(''," + vertex[key.first] + "," + vertex[key.second] + "," + line + ",.T.)");
        }
        return add("ORIENTED_EDGE('',*,*," + e + (forward ? ",.T.)" : ",.F.)"));
    };
    struct Face {
        int corners[4];
        double n[3], r[3];
    };
    const Face faces[] = {{{0, 2, 3, 1}, {0, 0, -1}, {1, 0, 0}}, {{4, 5, 7, 6}, {0, 0, 1}, {1, 0, 0}},
        {{0, 1, 5, 4}, {0, -1, 0}, {1, 0, 0}}, {{2, 6, 7, 3}, {0, 1, 0}, {1, 0, 0}},
        {{0, 4, 6, 2}, {-1, 0, 0}, {0, 1, 0}}, {{1, 3, 7, 5}, {1, 0, 0}, {0, 1, 0}}};
    std::string shells;
    for (const Face& f : faces) {
        std::string loop;
        for (int i = 0; i < 4; ++i) loop += (i ? "," : "") + edge(f.corners[i], f.corners[(i + 1) % 4]);
        const std::string bound = add("FACE_OUTER_BOUND(''," + add("EDGE_LOOP('',(" + loop + "))") + ",.T.)");
        const std::string axis = add("AXIS2_PLACEMENT_3D(''," + point[f.corners[0]] + "," +
                                     add("DIRECTION(''," + triple(f.n[0], f.n[1], f.n[2]) + ")") + "," +
                                     add("DIRECTION(''," + triple(f.r[0], f.r[1], f.r[2]) + ")") + ")");
        shells += (shells.empty() ? "" : ",") +
                  add("ADVANCED_FACE('',(" + bound + ")," + add("PLANE(''," + axis + ")") + ",.T.)");
    }
    const std::string solid = add("MANIFOLD_SOLID_BREP(''," + add("CLOSED_SHELL('',(" + shells + "))") + ")");
    const std::string origin = add("AXIS2_PLACEMENT_3D(''," + add("CARTESIAN_POINT('',(0.,0.,0.))") + "," +
                                   add("DIRECTION('',(0.,0.,1.))") + "," + add("DIRECTION('',(1.,0.,0.))") + ")");
    const std::string representation =
        add("ADVANCED_BREP_SHAPE_REPRESENTATION('',(" + origin + "," + solid + ")," + context + ")");
    add("SHAPE_DEFINITION_REPRESENTATION(" + shape + "," + representation + ")");
    return out + "ENDSEC;\nEND-ISO-10303-21;\n";
}

void check_block(const json& entry, double x, double y, double z) {
    CHECK(entry["size_mm"][0].get<double>() == Approx(x).epsilon(1e-3));
    CHECK(entry["size_mm"][1].get<double>() == Approx(y).epsilon(1e-3));
    CHECK(entry["size_mm"][2].get<double>() == Approx(z).epsilon(1e-3));
    CHECK(entry["volume_cm3"].get<double>() == Approx(x * y * z / 1e3).epsilon(1e-3));
}

double pieces_volume(const json& entry) {
    double sum = 0;
    for (const json& piece : entry["pieces"]) {
        std::vector<Vector3> points;
        for (std::size_t i = 0; i + 2 < piece.size(); i += 3)
            points.emplace_back(piece[i].get<double>(), piece[i + 1].get<double>(), piece[i + 2].get<double>());
        sum += geometry::volume(geometry::mesh(geometry::Convex::hull(points)));
    }
    return sum / 1e3;  // cm3
}

}  // namespace

TEST_CASE("the same block comes in alike from every format, at its size and volume") {
    const Folder f;
    const Surface mm = box(120, 80, 45), metres = box(0.12f, 0.045f, 0.08f);
    for (const auto& [name, bytes] : {std::pair<std::string, std::string>{"a.stl", stl(mm)}, {"a.obj", obj(mm)},
             {"a.ply", ply(mm)}, {"a.STEP", step_block(120, 80, 45)}, {"a.gltf", gltf(metres)}}) {
        INFO(name);
        const LoadedSurface loaded = load_surface(f.write(name, bytes));
        ImportOptions o;
        if (loaded.unit > 0) o.unit = loaded.unit;
        o.y_up = name == "a.gltf";
        CHECK((loaded.unit > 0) == (name == "a.STEP" || name == "a.gltf"));
        const json entry = mesh_entry(loaded, o, "m");
        check_block(entry, 120, 80, 45);
        CHECK(entry["pieces"].size() == 1);
        CHECK(pieces_volume(entry) == Approx(432).epsilon(1e-3));
        // The origin is at the bottom centre.
        const auto drawn = surface_of(entry);
        REQUIRE(drawn);
        const geometry::Box3 b = geometry::bounds(*drawn);
        CHECK(b.low.z() == Approx(0).margin(2e-6));
        CHECK(b.low.x() + b.high.x() == Approx(0).margin(4e-6));
        CHECK(geometry::volume(*drawn) == Approx(432e-6).epsilon(1e-3));
    }
}

TEST_CASE("a ball of a million triangles: size and volume, thinned for drawing, one piece") {
    const Folder f;
    const Surface fine = ball(250, 500);
    REQUIRE(fine.triangles.size() >= 1'000'000);
    double furthest = 0;
    LoadWatch watch;
    watch.progress = [&](double share) { furthest = std::max(furthest, share); };
    const LoadedSurface loaded = load_surface(f.write("ball.stl", stl(fine)), watch);
    CHECK(furthest > 0.9);
    const json entry = mesh_entry(loaded, {}, "m");
    CHECK(entry["volume_cm3"].get<double>() == Approx(4.0 / 3 * geometry::pi * 25 * 25 * 25).epsilon(1e-3));
    CHECK(entry["size_mm"][2].get<double>() == Approx(500).epsilon(1e-3));
    CHECK(surface_of(entry)->triangles.size() <= 60'000);
    CHECK(entry.dump().size() < 3u << 20);
    CHECK(pieces_volume(entry) == Approx(entry["volume_cm3"].get<double>()).epsilon(0.05));
}

TEST_CASE("convex pieces hold the surface, and leave a deep hollow open") {
    // A U of three boxes in one shell of touching parts: 300 wide, 200 high, walls 40.
    Surface u;
    for (const auto& [x0, z0, w, h] :
        {std::tuple{0.f, 0.f, 0.3f, 0.04f}, {0.f, 0.04f, 0.04f, 0.16f}, {0.26f, 0.04f, 0.04f, 0.16f}}) {
        const Surface one = geometry::placed(box(w, 0.1f, h), geometry::make_frame({x0, 0, z0}), 1);
        const auto first = static_cast<std::uint32_t>(u.points.size());
        u.points.insert(u.points.end(), one.points.begin(), one.points.end());
        for (auto t : one.triangles) u.triangles.push_back({t[0] + first, t[1] + first, t[2] + first});
    }
    const auto pieces = geometry::convex_pieces(geometry::welded(u, 1e-6), {16, 0.005, 200});
    CHECK(pieces.size() >= 3);
    const auto gap = [&](const Vector3& p) {
        double least = 1e9;
        for (const geometry::Convex& piece : pieces)
            least = std::min(least, geometry::separation(piece, geometry::Frame::Identity(),
                                        geometry::Convex::sphere(1e-6), geometry::make_frame(p))
                                        .distance);
        return least;
    };
    tests::Draw draw(12);
    for (int i = 0; i < 400; ++i) {
        const auto& t = u.triangles[draw.whole(0, static_cast<int>(u.triangles.size()) - 1)];
        double a = draw.in(0, 1), b = draw.in(0, 1);
        if (a + b > 1) a = 1 - a, b = 1 - b;
        const Eigen::Vector3f on = u.points[t[0]] + static_cast<float>(a) * (u.points[t[1]] - u.points[t[0]]) +
                                   static_cast<float>(b) * (u.points[t[2]] - u.points[t[0]]);
        CHECK(gap(on.cast<double>()) < 1e-6);
    }
    CHECK(gap({0.15, 0.05, 0.12}) > 0.05);  // the middle of the hollow is free
}

TEST_CASE("text of a surface comes back; broken text gives nothing") {
    const Surface s = box(0.1f, 0.2f, 0.3f);
    const std::string text = surface_text(s);
    const auto back = surface_from_text(text);
    REQUIRE(back);
    REQUIRE(back->triangles == s.triangles);
    for (std::size_t i = 0; i < s.points.size(); ++i) CHECK((back->points[i] - s.points[i]).norm() < 5e-6f);
    tests::Draw draw(3);
    for (int i = 0; i < 300; ++i) {
        std::string bad = text.substr(0, static_cast<std::size_t>(draw.in(0, static_cast<double>(text.size()))));
        if (!bad.empty()) bad[draw.in(0, static_cast<double>(bad.size()))] = static_cast<char>(draw.whole(33, 126));
        const auto found = surface_from_text(bad);
        if (found)
            for (const auto& t : found->triangles)
                for (const auto k : t) REQUIRE(k < found->points.size());
    }
}

TEST_CASE("as a structure, a fixture, a tool and a part type it takes part in the cell, and comes back from the file") {
    const Folder f;
    const LoadedSurface loaded = load_surface(f.write("bracket.stl", stl(box(120, 80, 45))));
    cell::Document d = tests::demo();
    for (const ImportAs as : {ImportAs::structure, ImportAs::fixture, ImportAs::tool, ImportAs::part_type}) {
        ImportOptions o;
        o.name = "bracket";
        const json entry = mesh_entry(loaded, o, cell::free_id(d.tree(), "bracket"));
        std::string id;
        d = d.edited(d.baseline(), import_edit(simulation::layout(d, d.baseline()), entry, as, &id));
    }
    const auto c = tests::read(d.resolved(d.baseline()));
    CHECK(c->meshes.size() == 4);
    int with_mesh = 0;
    for (const cell::Device& one : c->devices)
        with_mesh +=
            std::any_of(one.bodies.begin(), one.bodies.end(), [](const geometry::Body& b) { return !b.mesh.empty(); });
    CHECK(with_mesh == 2);
    CHECK(c->tool_models.back().bodies.front().stand_in);
    CHECK(c->part_types.back().height == Approx(0.045).epsilon(1e-3));
    CHECK(cell::Document::parse(d.text()) == d);
}

TEST_CASE("broken, truncated and foreign files: a clear error, soon, and the program goes on") {
    const Folder f;
    const auto error = [&](const std::string& name, const std::string& bytes) -> std::string {
        try {
            load_surface(f.write(name, bytes));
            return "";
        } catch (const cell::InputError& e) {
            return e.problems().front().message;
        }
    };
    CHECK(error("a.stl", "").find("empty") != std::string::npos);
    CHECK(error("a.doc", "x").find("STL, OBJ") != std::string::npos);
    CHECK(!error("b.step", "ISO-10303-21; this is not one").empty());
    CHECK(!error("c.gltf", "{\"asset\": 1").empty());
    CHECK(!error("d.ply", "ply\nformat ascii 1.0\nelement vertex 99999999999\nend_header\n").empty());
    CHECK(!error("e.stl", stl(box(1, 1, 1)).substr(0, 83)).empty());
    CHECK_THROWS_AS(load_surface("/no/such/file.stl"), cell::InputError);
    Surface far = box(1, 1, 1);
    far.points[3] = Eigen::Vector3f(NAN, 0, 0);
    CHECK(!error("f.stl", stl(far)).empty());
    ImportOptions huge;
    huge.unit = 1;
    CHECK_THROWS_AS(mesh_entry(load_surface(f.write("g.stl", stl(box(1200, 800, 450)))), huge, "m"), cell::InputError);
    std::atomic<bool> cancel{true};
    LoadWatch watch;
    watch.cancel = &cancel;
    CHECK_THROWS_AS(load_surface(f.write("h.stl", stl(ball(1, 200))), watch), cell::InputError);
    // Mangled ones: whatever comes out is whole.
    tests::Draw draw(77);
    for (const auto& [name, good] :
        {std::pair<std::string, std::string>{"m.stl", stl(box(10, 20, 30))}, {"m.obj", obj(box(10, 20, 30))},
            {"m.ply", ply(box(10, 20, 30))}, {"m.gltf", gltf(box(1, 2, 3))}, {"m.step", step_block(1, 2, 3)}})
        for (int i = 0; i < tests::rounds(8, 3); ++i) {
            std::string bad = good;
            for (int k = draw.whole(1, 6); k > 0; --k)
                bad[draw.in(0, static_cast<double>(bad.size()))] = static_cast<char>(draw.whole(0, 255));
            if (i % 3 == 0) bad.resize(static_cast<std::size_t>(draw.in(1, static_cast<double>(bad.size()))));
            try {
                const LoadedSurface s = load_surface(f.write(name, bad));
                for (const auto& t : s.surface.triangles)
                    for (const auto k : t) REQUIRE(k < s.surface.points.size());
            } catch (const cell::InputError& e) {
                CHECK(!e.problems().front().message.empty());
            }
        }
}
