// escarp-mesh-loader FILE: reads a CAD or mesh file and writes plain triangles to stdout. A program of its own, so that
// a file that breaks a reading library cannot take the window down, loading can be cancelled at any instant, and memory
// and time are bounded. Output: "ESCMESH1", unit in metres (double, 0: the file does not say), colour 0xRRGGBB (int32,
// -1: none), counts of points and triangles (uint64), points (3 floats each, the file's unit), triangles (3 uint32
// each). On failure a line on stderr, exit 1.

#include <sys/resource.h>
#include <sys/stat.h>

#include <assimp/DefaultIOSystem.h>
#include <assimp/config.h>
#include <assimp/material.h>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <BRepMesh_IncrementalMesh.hxx>
#include <BRep_Tool.hxx>
#include <Message.hxx>
#include <Message_Messenger.hxx>
#include <Poly_Triangulation.hxx>
#include <STEPControl_Reader.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Face.hxx>
#include <algorithm>
#include <array>
#include <assimp/Importer.hpp>
#include <cctype>
#include <cmath>
#include <cstdint>
#include <cstdio>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <stdexcept>
#include <string>
#include <vector>

namespace {

constexpr std::size_t most_triangles = 6'000'000;

struct Found {
    double unit = 0;  ///< metres
    std::int32_t colour = -1;
    std::vector<std::array<float, 3>> points;
    std::vector<std::array<std::uint32_t, 3>> triangles;
};

[[noreturn]] void fail(const std::string& why) { throw std::runtime_error(why); }

void add_node(const aiScene& scene, const aiNode& node, const aiMatrix4x4& above, int depth, Found& out) {
    if (depth > 200) fail("The file's parts are nested too deep.");
    const aiMatrix4x4 here = above * node.mTransformation;
    for (unsigned m = 0; m < node.mNumMeshes; ++m) {
        if (node.mMeshes[m] >= scene.mNumMeshes) fail("A part of the file refers to a mesh that is not there.");
        const aiMesh& mesh = *scene.mMeshes[node.mMeshes[m]];
        const auto first = static_cast<std::uint32_t>(out.points.size());
        for (unsigned i = 0; i < mesh.mNumVertices; ++i) {
            const aiVector3D p = here * mesh.mVertices[i];
            out.points.push_back({p.x, p.y, p.z});
        }
        for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
            const aiFace& face = mesh.mFaces[f];
            if (face.mNumIndices != 3) continue;
            bool good = true;
            for (int k = 0; k < 3; ++k) good = good && face.mIndices[k] < mesh.mNumVertices;
            if (!good) fail("A triangle refers to a point that is not there.");
            out.triangles.push_back({first + face.mIndices[0], first + face.mIndices[1], first + face.mIndices[2]});
            if (out.triangles.size() > most_triangles)
                fail("The file has more than 6 million triangles; make it coarser where it was made.");
        }
        if (out.colour < 0 && mesh.mMaterialIndex < scene.mNumMaterials) {
            aiColor3D c;
            if (scene.mMaterials[mesh.mMaterialIndex]->Get(AI_MATKEY_COLOR_DIFFUSE, c) == aiReturn_SUCCESS) {
                const auto byte = [](float v) {
                    return static_cast<std::int32_t>(std::lround(255 * std::clamp(v, 0.f, 1.f)));
                };
                out.colour = byte(c.r) << 16 | byte(c.g) << 8 | byte(c.b);
            }
        }
    }
    for (unsigned c = 0; c < node.mNumChildren; ++c) add_node(scene, *node.mChildren[c], here, depth + 1, out);
}

/// What a file refers to is read only where it is a regular file in the file's own folder or below: no pipe, no device,
/// nothing elsewhere.
class OwnFolder : public Assimp::DefaultIOSystem {
public:
    explicit OwnFolder(const std::string& file)
        : folder_(std::filesystem::weakly_canonical(std::filesystem::absolute(file)).parent_path()) {}
    bool Exists(const char* name) const override { return inside(name) && Assimp::DefaultIOSystem::Exists(name); }
    Assimp::IOStream* Open(const char* name, const char* mode) override {
        return inside(name) && mode[0] == 'r' ? Assimp::DefaultIOSystem::Open(name, mode) : nullptr;
    }

private:
    bool inside(const std::filesystem::path& name) const {
        std::error_code none;
        const auto real = std::filesystem::canonical(name, none);
        if (none || !std::filesystem::is_regular_file(real, none)) return false;
        const auto [end, rest] = std::mismatch(folder_.begin(), folder_.end(), real.begin(), real.end());
        return end == folder_.end();
    }
    std::filesystem::path folder_;
};

Found read_mesh(const std::string& file, const std::string& ending) {
    Assimp::Importer importer;
    importer.SetIOHandler(new OwnFolder(file));  // the importer owns it
    importer.SetPropertyInteger(AI_CONFIG_PP_SBP_REMOVE, aiPrimitiveType_POINT | aiPrimitiveType_LINE);
    importer.SetPropertyBool(AI_CONFIG_IMPORT_COLLADA_IGNORE_UP_DIRECTION, true);  // axes stay those of the file
    const aiScene* scene = importer.ReadFile(file, aiProcess_Triangulate | aiProcess_SortByPType);
    if (!scene || !scene->mRootNode)
        fail(std::string("It cannot be read as ") + ending + ": " + importer.GetErrorString());
    Found out;
    add_node(*scene, *scene->mRootNode, aiMatrix4x4(), 0, out);
    if (ending == "gltf" || ending == "glb" || ending == "dae")
        out.unit = 1;  // the format says metres, or its unit, which the reader applies
    return out;
}

/// A PLY header that promises more than the file can hold keeps the reading library busy for nothing.
void check_ply(const std::string& file, double size) {
    std::ifstream in(file, std::ios::binary);
    std::string line;
    for (int n = 0; n < 1000 && std::getline(in, line) && line.rfind("end_header", 0) != 0; ++n) {
        char name[64];
        double count = 0;
        if (std::sscanf(line.c_str(), " element %63s %lf", name, &count) == 2 && !(count >= 0 && count <= size))
            fail("Its header promises more elements than the file can hold; it is broken or cut off.");
    }
}

Found read_step(const std::string& file) {
    Message::DefaultMessenger()->ChangePrinters().Clear();
    STEPControl_Reader reader;
    if (reader.ReadFile(file.c_str()) != IFSelect_RetDone)
        fail("It cannot be read as STEP: it is broken, or of another kind.");
    if (reader.TransferRoots() == 0) fail("The STEP file holds no shape.");
    const TopoDS_Shape shape = reader.OneShape();
    BRepMesh_IncrementalMesh mesher(shape, 0.1, Standard_False, 0.3);  // mm, radians
    Found out;
    out.unit = 1e-3;  // the reader converts to mm
    for (TopExp_Explorer it(shape, TopAbs_FACE); it.More(); it.Next()) {
        const TopoDS_Face face = TopoDS::Face(it.Current());
        TopLoc_Location at;
        const Handle(Poly_Triangulation) mesh = BRep_Tool::Triangulation(face, at);
        if (mesh.IsNull()) continue;
        const auto first = static_cast<std::uint32_t>(out.points.size());
        for (int i = 1; i <= mesh->NbNodes(); ++i) {
            const gp_Pnt p = mesh->Node(i).Transformed(at.Transformation());
            out.points.push_back({static_cast<float>(p.X()), static_cast<float>(p.Y()), static_cast<float>(p.Z())});
        }
        for (int i = 1; i <= mesh->NbTriangles(); ++i) {
            int a, b, c;
            mesh->Triangle(i).Get(a, b, c);
            if (face.Orientation() == TopAbs_REVERSED) std::swap(b, c);
            out.triangles.push_back({first + static_cast<std::uint32_t>(a) - 1,
                first + static_cast<std::uint32_t>(b) - 1, first + static_cast<std::uint32_t>(c) - 1});
            if (out.triangles.size() > most_triangles)
                fail("The file has more than 6 million triangles; make it coarser where it was made.");
        }
    }
    return out;
}

template <typename T>
void put(const T& value) {
    if (std::fwrite(&value, sizeof value, 1, stdout) != 1) fail("The result cannot be handed over.");
}

void bound(int resource, rlim_t most) {
    const rlimit limit{most, most};
    ::setrlimit(static_cast<__rlimit_resource>(resource), &limit);
}

}  // namespace

int main(int argc, char** argv) {
    if (argc != 2) {
        std::fprintf(stderr, "usage: escarp-mesh-loader FILE\n");
        return 2;
    }
    try {
        const std::string file = argv[1];
        struct stat info {};
        if (::stat(file.c_str(), &info) != 0 || !S_ISREG(info.st_mode)) fail("There is no such file.");
        if (info.st_size > (512ll << 20)) fail("The file is larger than 512 MB.");
        if (info.st_size == 0) fail("The file is empty.");
        // What a file may cost grows with its size: a small one that asks for gigabytes or minutes is broken or
        // hostile.
        const auto size = static_cast<rlim_t>(info.st_size);
#ifndef ESCARP_SANITIZED  // whose shadow of all memory is more than any limit
        bound(RLIMIT_AS, std::min<rlim_t>(6ull << 30, (700ull << 20) + 60 * size));
#endif
        bound(RLIMIT_CPU, 4 + size / (1 << 20) * 2);
        bound(RLIMIT_CORE, 0);
        std::string ending = file.substr(file.rfind('.') + 1);
        std::transform(ending.begin(), ending.end(), ending.begin(),
            [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
        const bool step = ending == "step" || ending == "stp";
        if (!step && ending != "stl" && ending != "obj" && ending != "ply" && ending != "gltf" && ending != "glb" &&
            ending != "dae")
            fail("Only STL, OBJ, PLY, glTF (gltf, glb), COLLADA (dae) and STEP (step, stp) files are read.");
        if (ending == "ply") check_ply(file, static_cast<double>(info.st_size));
        const Found found = step ? read_step(file) : read_mesh(file, ending);
        if (found.triangles.empty()) fail("The file holds no triangle.");
        for (const auto& p : found.points)
            for (const float v : p)
                if (!std::isfinite(v) || std::abs(v) > 1e9f)
                    fail("The file holds a point that is not a place (its number is not finite or absurdly large).");
        std::fwrite("ESCMESH1", 8, 1, stdout);
        put(found.unit);
        put(found.colour);
        put(static_cast<std::uint64_t>(found.points.size()));
        put(static_cast<std::uint64_t>(found.triangles.size()));
        if (std::fwrite(found.points.data(), sizeof found.points[0], found.points.size(), stdout) !=
            found.points.size())
            fail("The result cannot be handed over.");
        if (std::fwrite(found.triangles.data(), sizeof found.triangles[0], found.triangles.size(), stdout) !=
            found.triangles.size())
            fail("The result cannot be handed over.");
        return std::fflush(stdout) == 0 ? 0 : 1;
    } catch (const std::bad_alloc&) {
        std::fprintf(stderr,
            "Reading it needs more memory than is allowed for a file of its size; it is broken, or has to be made "
            "simpler where it was made.\n");
    } catch (const Standard_Failure& e) {
        std::fprintf(stderr, "It cannot be read as STEP: %s\n", e.GetMessageString());
    } catch (const std::exception& e) {
        std::fprintf(stderr, "%s\n", e.what());
    } catch (...) {
        std::fprintf(stderr, "It cannot be read.\n");
    }
    return 1;
}
