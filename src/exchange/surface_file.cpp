#include "surface_file.h"

#include <cell/text/disk.h>
#include <cell/text/json.h>

namespace escarp::exchange {
namespace {

template <typename Value>
void put(std::string& out, const Value& value) {
    out.append(reinterpret_cast<const char*>(&value), sizeof value);
}

void fill_to_four(std::string& out, char with) {
    while (out.size() % 4) out.push_back(with);
}

}  // namespace

geometry::Surface surface_of(const geometry::Mesh& mesh) {
    geometry::Surface s;
    s.points.reserve(mesh.points.size());
    for (const geometry::Vector3& p : mesh.points) s.points.push_back(p.cast<float>());
    for (const auto& t : mesh.triangles)
        s.triangles.push_back(
            {static_cast<std::uint32_t>(t[0]), static_cast<std::uint32_t>(t[1]), static_cast<std::uint32_t>(t[2])});
    return s;
}

void write_stl(const std::string& file, const geometry::Surface& s) {
    std::string out(80, ' ');
    put(out, static_cast<std::uint32_t>(s.triangles.size()));
    for (const auto& t : s.triangles) {
        const Eigen::Vector3f &a = s.points[t[0]], &b = s.points[t[1]], &c = s.points[t[2]];
        const Eigen::Vector3f n = (b - a).cross(c - a).stableNormalized();
        for (const Eigen::Vector3f& v : {n, a, b, c}) out.append(reinterpret_cast<const char*>(v.data()), 12);
        out.append(2, '\0');
    }
    cell::write_file(file, out);
}

void write_glb(const std::string& file, const geometry::Surface& s, const std::string& name) {
    using nlohmann::json;
    std::string bytes;
    Eigen::Vector3f low = Eigen::Vector3f::Constant(1e30f), high = Eigen::Vector3f::Constant(-1e30f);
    for (const Eigen::Vector3f& p : s.points) {
        const Eigen::Vector3f up(p.x(), p.z(), -p.y());
        low = low.cwiseMin(up), high = high.cwiseMax(up);
        bytes.append(reinterpret_cast<const char*>(up.data()), 12);
    }
    const std::size_t points = bytes.size();
    for (const auto& t : s.triangles) bytes.append(reinterpret_cast<const char*>(t.data()), 12);
    const auto list = [](const Eigen::Vector3f& v) { return json{v.x(), v.y(), v.z()}; };
    const json tree = {{"asset", {{"version", "2.0"}, {"generator", "Escarp"}}}, {"scene", 0},
        {"scenes", {{{"nodes", {0}}}}}, {"nodes", {{{"mesh", 0}, {"name", name}}}},
        {"materials", {{{"pbrMetallicRoughness", {{"baseColorFactor", {0.70, 0.12, 0.25, 0.45}}, {"metallicFactor", 0},
                                                     {"roughnessFactor", 1}}},
                          {"alphaMode", "BLEND"}, {"doubleSided", true}}}},
        {"meshes",
            {{{"name", name}, {"primitives", {{{"attributes", {{"POSITION", 0}}}, {"indices", 1}, {"material", 0}}}}}}},
        {"accessors",
            {{{"bufferView", 0}, {"componentType", 5126}, {"count", s.points.size()}, {"type", "VEC3"},
                 {"min", list(low)}, {"max", list(high)}},
                {{"bufferView", 1}, {"componentType", 5125}, {"count", 3 * s.triangles.size()}, {"type", "SCALAR"}}}},
        {"bufferViews",
            {{{"buffer", 0}, {"byteOffset", 0}, {"byteLength", points}, {"target", 34962}},
                {{"buffer", 0}, {"byteOffset", points}, {"byteLength", bytes.size() - points}, {"target", 34963}}}},
        {"buffers", {{{"byteLength", bytes.size()}}}}};
    std::string text = tree.dump();
    fill_to_four(text, ' ');
    fill_to_four(bytes, '\0');
    std::string out = "glTF";
    put(out, std::uint32_t{2});
    put(out, static_cast<std::uint32_t>(12 + 8 + text.size() + 8 + bytes.size()));
    put(out, static_cast<std::uint32_t>(text.size()));
    out += "JSON" + text;
    put(out, static_cast<std::uint32_t>(bytes.size()));
    out += std::string("BIN\0", 4) + bytes;
    cell::write_file(file, out);
}

}  // namespace escarp::exchange
