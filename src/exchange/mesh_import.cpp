#include "mesh_import.h"

#include <array>
#include <chrono>
#include <cmath>
#include <cstring>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>
#include <zlib.h>

#include <cell/model/device_kind.h>
#include <cell/text/disk.h>
#include <cell/text/names.h>

extern char** environ;

namespace escarp::exchange {
namespace {

using cell::InputError;
using cell::json;
using cell::Operation;
using geometry::Surface;
using geometry::Vector3;

constexpr std::size_t largest_answer = 400u << 20;

/// The loader stands beside the program that runs.
std::string loader_path() {
    char self[4096];
    const ssize_t n = ::readlink("/proc/self/exe", self, sizeof self - 1);
    std::string path(self, n > 0 ? static_cast<std::size_t>(n) : 0);
    return path.substr(0, path.rfind('/') + 1) + "escarp-mesh-loader";
}

/// A child process with both its outputs; killed when it is still alive at the end.
class Child {
public:
    explicit Child(const std::string& program, const std::string& argument) {
        if (::pipe2(out_, O_CLOEXEC) != 0 || ::pipe2(err_, O_CLOEXEC) != 0)
            throw InputError(argument, "The loader cannot be started: no pipes are left.");
        posix_spawn_file_actions_t actions;
        posix_spawn_file_actions_init(&actions);
        posix_spawn_file_actions_adddup2(&actions, out_[1], 1);
        posix_spawn_file_actions_adddup2(&actions, err_[1], 2);
        char* const arguments[] = {const_cast<char*>(program.c_str()), const_cast<char*>(argument.c_str()), nullptr};
        const int wrong = ::posix_spawn(&pid_, program.c_str(), &actions, nullptr, arguments, environ);
        posix_spawn_file_actions_destroy(&actions);
        ::close(out_[1]), ::close(err_[1]);
        if (wrong != 0) pid_ = -1;
        if (wrong != 0)
            throw InputError(program, std::string("The loader cannot be started: ") + std::strerror(wrong) + ".");
    }
    ~Child() {
        ::close(out_[0]), ::close(err_[0]);
        if (pid_ > 0) ::kill(pid_, SIGKILL), wait();
    }
    Child(const Child&) = delete;
    Child& operator=(const Child&) = delete;
    int out() const { return out_[0]; }
    int err() const { return err_[0]; }
    int wait() {
        int status = 0;
        ::waitpid(pid_, &status, 0);
        pid_ = -1;
        return status;
    }

private:
    pid_t pid_ = -1;
    int out_[2], err_[2];
};

template <typename T>
T taken(const std::string& bytes, std::size_t& at) {
    T value;
    std::memcpy(&value, bytes.data() + at, sizeof value);
    at += sizeof value;
    return value;
}

const char* digits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

std::string base64(const std::string& bytes) {  // RFC 4648
    std::string out;
    out.reserve((bytes.size() + 2) / 3 * 4);
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t v = 0;
        const std::size_t n = std::min<std::size_t>(3, bytes.size() - i);
        for (std::size_t k = 0; k < 3; ++k) v = v << 8 | (k < n ? static_cast<unsigned char>(bytes[i + k]) : 0u);
        for (std::size_t k = 0; k < 4; ++k) out += k <= n ? digits[v >> (18 - 6 * k) & 63] : '=';
    }
    return out;
}

std::optional<std::string> from_base64(const std::string& text) {
    static const std::array<int, 256> value = [] {
        std::array<int, 256> v;
        v.fill(-1);
        for (int i = 0; i < 64; ++i) v[static_cast<unsigned char>(digits[i])] = i;
        return v;
    }();
    std::string out;
    std::uint32_t bits = 0;
    int have = 0;
    for (const unsigned char c : text) {
        if (c == '=') break;
        if (value[c] < 0) return std::nullopt;
        bits = bits << 6 | static_cast<std::uint32_t>(value[c]);
        if ((have += 6) >= 8) out += static_cast<char>(bits >> (have -= 8) & 255);
    }
    return out;
}

template <typename T>
void put(std::string& to, T value) {
    to.append(reinterpret_cast<const char*>(&value), sizeof value);
}

json rounded(const Vector3& metres) {
    json out = json::array();
    for (int i = 0; i < 3; ++i) out.push_back(std::round(metres[i] * 1e6) / 1e3);
    return out;
}

}  // namespace

/// What the loader says of a file, whole: whatever goes wrong is thrown in words.
static std::string loaders_answer(const std::string& file, const LoadWatch& watch) {
    Child child(loader_path(), file);
    const auto begin = std::chrono::steady_clock::now();
    const auto passed = [&] { return std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count(); };
    std::string bytes, said;
    std::uint64_t expected = 0;
    bool out_open = true, err_open = true;
    std::vector<char> buffer(1 << 20);
    while (out_open || err_open) {
        pollfd ports[2] = {{child.out(), static_cast<short>(out_open ? POLLIN : 0), 0},
            {child.err(), static_cast<short>(err_open ? POLLIN : 0), 0}};
        ::poll(ports, 2, 50);
        if (watch.cancel && *watch.cancel) throw InputError(file, "Loading was cancelled.");
        if (passed() > watch.most_s)
            throw InputError(file, "Reading it takes more than " + std::to_string(static_cast<int>(watch.most_s)) +
                                       " s; make it simpler where it was made.");
        if (out_open && ports[0].revents) {
            const ssize_t n = ::read(child.out(), buffer.data(), buffer.size());
            if (n <= 0) out_open = false;
            else bytes.append(buffer.data(), static_cast<std::size_t>(n));
            if (bytes.size() > largest_answer) throw InputError(file, "It holds more triangles than can be used.");
            if (expected == 0 && bytes.size() >= 36) {
                std::uint64_t points, triangles;
                std::memcpy(&points, bytes.data() + 20, 8), std::memcpy(&triangles, bytes.data() + 28, 8);
                expected = 36 + 12 * (points + triangles);
            }
        }
        if (err_open && ports[1].revents) {
            const ssize_t n = ::read(child.err(), buffer.data(), buffer.size());
            if (n <= 0) err_open = false;
            else if (said.size() < 4000) said.append(buffer.data(), static_cast<std::size_t>(n));
        }
        // Reading the file itself is most of the time and tells nothing about how far it is: a curve that never quite
        // arrives.
        if (watch.progress)
            watch.progress(expected ? 0.6 + 0.4 * static_cast<double>(bytes.size()) / static_cast<double>(expected)
                                    : 0.6 * (1 - std::exp(-passed() / 3)));
    }
    const int status = child.wait();
    if (WIFSIGNALED(status) && WTERMSIG(status) == SIGXCPU)
        throw InputError(
            file, "Reading it takes longer than is allowed for a file of its size; make it simpler where it was made.");
    if (!WIFEXITED(status))
        throw InputError(file, "The file is broken: reading it failed. Export it again, or in another format.");
    while (!said.empty() && (said.back() == '\n' || said.back() == ' ')) said.pop_back();
    if (WEXITSTATUS(status) != 0)
        throw InputError(file, said.empty() ? "It cannot be read." : said.substr(said.rfind('\n') + 1));
    if (bytes.size() < 36 || bytes.compare(0, 8, "ESCMESH1") != 0 || bytes.size() != expected)
        throw InputError(file, "It cannot be read: the loader's answer is not whole.");
    return bytes;
}

LoadedSurface load_surface(const std::string& file, const LoadWatch& watch) {
    cell::check_regular(file);
    const std::string bytes = loaders_answer(file, watch);
    LoadedSurface out;
    std::size_t at = 8;
    out.unit = taken<double>(bytes, at);
    const auto colour = taken<std::int32_t>(bytes, at);
    const auto points = taken<std::uint64_t>(bytes, at), triangles = taken<std::uint64_t>(bytes, at);
    if (colour >= 0) {
        char text[16];
        std::snprintf(text, sizeof text, "#%06x", static_cast<unsigned>(colour & 0xFFFFFF));
        out.colour = text;
    }
    out.surface.points.resize(points);
    std::memcpy(static_cast<void*>(out.surface.points.data()), bytes.data() + at, 12 * points);
    out.surface.triangles.resize(triangles);
    std::memcpy(static_cast<void*>(out.surface.triangles.data()), bytes.data() + at + 12 * points, 12 * triangles);
    for (const auto& t : out.surface.triangles)
        for (const std::uint32_t i : t)
            if (i >= points) throw InputError(file, "A triangle refers to a point that is not there.");
    return out;
}

geometry::PieceOptions piece_options(const Surface& surface, int most, double tolerance) {
    const geometry::Box3 box = geometry::bounds(surface);
    if (tolerance <= 0) tolerance = std::max(0.002, 0.01 * (box.high - box.low).maxCoeff());
    return {most, tolerance, 200};
}

json pieces_of(const Surface& surface, const geometry::PieceOptions& options) {
    json pieces = json::array();
    for (const geometry::Convex& piece : geometry::convex_pieces(surface, options)) {
        json corners = json::array();
        for (const Vector3& p : piece.points())
            for (int i = 0; i < 3; ++i) corners.push_back(std::round(p[i] * 1e6) / 1e3);
        if (corners.size() >= 12) pieces.push_back(std::move(corners));
    }
    return pieces;
}

json mesh_entry(const LoadedSurface& loaded, const ImportOptions& o, const std::string& id) {
    geometry::Frame turn = geometry::Frame::Identity();
    if (o.y_up) turn.linear() = geometry::rotation(Vector3::UnitX(), geometry::pi / 2);
    Surface s = geometry::placed(loaded.surface, turn, o.unit);
    geometry::Box3 box = geometry::bounds(s);
    const Vector3 size = box.high - box.low;
    if (box.empty() || size.maxCoeff() > 100)
        throw InputError("unit", "In this unit it would be " + std::to_string(static_cast<long>(size.maxCoeff())) +
                                     " m long; choose the unit that the file was made in.");
    if (size.maxCoeff() < 1e-4)
        throw InputError(
            "unit", "In this unit it would be smaller than 0.1 mm; choose the unit that the file was made in.");
    if (o.bottom_centre) {
        s = geometry::placed(s,
            geometry::make_frame(
                {-0.5 * (box.low.x() + box.high.x()), -0.5 * (box.low.y() + box.high.y()), -box.low.z()}),
            1);
        box = geometry::bounds(s);
    }
    s = geometry::welded(s, std::max(1e-7, 1e-6 * size.maxCoeff()));
    if (s.empty())
        throw InputError("unit", "Nothing is left of it in this unit; choose the unit that the file was made in.");
    json pieces = pieces_of(s, piece_options(s, o.pieces, o.tolerance));
    json entry = {{"id", id}, {"name", o.name.empty() ? id : o.name}, {"size_mm", rounded(size)},
        {"volume_cm3", std::round(1e9 * geometry::volume(s)) / 1e3}, {"triangles", loaded.surface.triangles.size()},
        {"pieces", std::move(pieces)}};
    const std::string colour = o.colour.empty() ? loaded.colour : o.colour;
    if (!colour.empty()) entry["colour"] = colour;
    if (o.link.empty()) entry["surface"] = surface_text(geometry::thinned(s, o.drawn));
    else entry["link"] = {{"file", o.link}, {"unit_m", o.unit}, {"y_up", o.y_up}, {"bottom_centre", o.bottom_centre}};
    return entry;
}

std::string surface_text(const Surface& s) {
    const geometry::Box3 box = geometry::bounds(s);
    const Vector3 size = (box.high - box.low).cwiseMax(1e-9);
    std::string raw;
    put(raw, static_cast<std::uint32_t>(s.points.size()));
    put(raw, static_cast<std::uint32_t>(s.triangles.size()));
    for (int i = 0; i < 3; ++i) put(raw, box.low[i]);
    for (int i = 0; i < 3; ++i) put(raw, size[i]);
    for (const auto& p : s.points)
        for (int i = 0; i < 3; ++i)
            put(raw, static_cast<std::uint16_t>(std::lround(
                         std::clamp((static_cast<double>(p[i]) - box.low[i]) / size[i], 0.0, 1.0) * 65535)));
    for (const auto& t : s.triangles)
        for (const std::uint32_t i : t) put(raw, i);
    std::string packed(::compressBound(raw.size()), '\0');
    uLongf length = packed.size();
    ::compress2(
        reinterpret_cast<Bytef*>(packed.data()), &length, reinterpret_cast<const Bytef*>(raw.data()), raw.size(), 6);
    packed.resize(length);
    std::string sized;
    put(sized, static_cast<std::uint32_t>(raw.size()));
    return base64(sized + packed);
}

std::optional<Surface> surface_from_text(const std::string& text) {
    const auto packed = from_base64(text);
    if (!packed || packed->size() < 8) return std::nullopt;
    std::size_t at = 0;
    const auto raw_size = taken<std::uint32_t>(*packed, at);
    if (raw_size > largest_unpacked || raw_size < 56) return std::nullopt;
    std::string raw(raw_size, '\0');
    uLongf length = raw.size();
    if (::uncompress(reinterpret_cast<Bytef*>(raw.data()), &length, reinterpret_cast<const Bytef*>(packed->data() + 4),
            packed->size() - 4) != Z_OK ||
        length != raw_size)
        return std::nullopt;
    at = 0;
    const std::size_t points = taken<std::uint32_t>(raw, at), triangles = taken<std::uint32_t>(raw, at);
    if (raw.size() != 56 + 6 * points + 12 * triangles) return std::nullopt;
    Vector3 low, size;
    for (int i = 0; i < 3; ++i) low[i] = taken<double>(raw, at);
    for (int i = 0; i < 3; ++i) size[i] = taken<double>(raw, at);
    if (!low.allFinite() || !size.allFinite() || low.cwiseAbs().maxCoeff() > 1e3 || size.cwiseAbs().maxCoeff() > 1e3)
        return std::nullopt;
    Surface s;
    s.points.resize(points);
    for (auto& p : s.points)
        for (int i = 0; i < 3; ++i)
            p[i] = static_cast<float>(low[i] + size[i] * taken<std::uint16_t>(raw, at) / 65535.0);
    s.triangles.resize(triangles);
    for (auto& t : s.triangles)
        for (std::uint32_t& i : t) {
            i = taken<std::uint32_t>(raw, at);
            if (i >= points) return std::nullopt;
        }
    return s;
}

std::size_t unpacked_size(const json& entry) {
    const auto found = entry.find("surface");
    if (found == entry.end() || !found->is_string()) return 0;
    const auto head = from_base64(found->get_ref<const std::string&>().substr(0, 8));
    std::size_t at = 0;
    return head && head->size() >= 4 ? taken<std::uint32_t>(*head, at) : 0;
}

std::optional<Surface> surface_of(const json& entry) {
    const auto found = entry.find("surface");
    if (found == entry.end() || !found->is_string()) return std::nullopt;
    return surface_from_text(found->get_ref<const std::string&>());
}

cell::Edit import_edit(const cell::Layout& layout, const json& entry, ImportAs as, std::string* made) {
    const json& tree = layout.tree();
    const std::string name = entry["name"], mesh = entry["id"];
    const json body = {{"name", name}, {"shape", "mesh"}, {"mesh", mesh}};
    cell::Edit edit{"Import " + name, {}};
    if (!tree.contains("meshes")) edit.operations.push_back(Operation::set("/meshes", json::array()));
    edit.operations.push_back(Operation::add("/meshes", entry));
    const std::string id = cell::free_id(layout.document().tree(), name == mesh ? name + "_1" : name);
    if (made) *made = id;
    const json& size = entry["size_mm"];
    if (as == ImportAs::structure || as == ImportAs::fixture) {
        json device = {{"id", id}, {"name", cell::free_name(tree, name, layout.document().tree())},
            {"kind", as == ImportAs::fixture ? "fixture" : "solid"}, {"host", "floor"},
            {"placement", {{"x_mm", 0.0}, {"y_mm", 0.0}, {"z_mm", 0.0}, {"turn_deg", 0.0}}}};
        if (as == ImportAs::fixture) {
            const json fresh = layout.kinds().find("fixture")->fresh();
            for (const auto& [key, value] : fresh.items()) device[key] = value;
            device["length_mm"] = std::max(20.0, size[0].get<double>()),
            device["width_mm"] = std::max(20.0, size[1].get<double>()),
            device["height_mm"] = std::max(1.0, size[2].get<double>());
        }
        device["bodies"] = json::array({body});
        if (entry.contains("colour")) device["colour"] = entry["colour"];
        edit.operations.push_back(Operation::add("/devices", device));
    } else if (as == ImportAs::tool) {
        if (!tree.contains("tool_models")) edit.operations.push_back(Operation::set("/tool_models", json::array()));
        edit.operations.push_back(Operation::add("/tool_models",
            {{"id", id}, {"name", name}, {"mass_kg", 1.0}, {"close_s", 0.3}, {"open_s", 0.3}, {"force_N", 100.0},
                {"tool_frame", {{"at_mm", {0.0, 0.0, size[2]}}, {"turn_deg", {0.0, 0.0, 0.0}}}}, {"bodies", {body}}}));
    } else {
        json part = {{"id", id}, {"name", name},
            {"mass_kg", std::max(0.001, std::round(entry.value("volume_cm3", 1000.0)) * 2.7e-3)}, {"bodies", {body}},
            {"grips", {{{"id", "top"}, {"at_mm", {0.0, 0.0, size[2]}}, {"turn_deg", {180.0, 0.0, 0.0}}}}}};
        if (entry.contains("colour")) part["colour"] = entry["colour"];
        if (!tree.contains("part_types")) edit.operations.push_back(Operation::set("/part_types", json::array()));
        edit.operations.push_back(Operation::add("/part_types", part));
    }
    return edit;
}

}  // namespace escarp::exchange
