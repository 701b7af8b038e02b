#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>
#include <filesystem>
#include <map>
#include <pugixml.hpp>
#include <set>
#include <sstream>

#include <cell/edits/build_model.h>
#include <cell/text/disk.h>
#include <cell/text/names.h>

#include "urdf.h"

namespace escarp::exchange {
namespace {

using cell::InputError;
using cell::json;
using cell::Problem;
using geometry::Frame;
using geometry::Vector3;
using pugi::xml_node;

using geometry::degree;
constexpr std::uintmax_t largest = 64u << 20;

double tidy(double v) { return std::abs(v) < 5e-10 ? 0.0 : std::round(v * 1e9) / 1e9; }

json list(const Vector3& v) { return {tidy(v.x()), tidy(v.y()), tidy(v.z())}; }

void put_frame(json& into, const Frame& at) {
    into["at_mm"] = list(1e3 * at.translation());
    into["turn_deg"] = list(geometry::to_triple(at.linear()) / degree);
}

/// The notes, one line for each kind of thing.
class Notes {
public:
    void add(const std::string& kind, const std::string& who) {
        auto found = std::find_if(all_.begin(), all_.end(), [&](const auto& n) { return n.first == kind; });
        if (found == all_.end()) found = all_.insert(all_.end(), {kind, {}});
        if (!who.empty() && std::find(found->second.begin(), found->second.end(), who) == found->second.end())
            found->second.push_back(who);
    }
    std::vector<std::string> lines() const {
        std::vector<std::string> out;
        for (const auto& [kind, whose] : all_) {
            std::string names;
            for (std::size_t i = 0; i < whose.size() && i < 8; ++i) names += (i ? ", " : "") + whose[i];
            if (whose.size() > 8) names += " and " + std::to_string(whose.size() - 8) + " more";
            out.push_back(kind + (names.empty() ? "." : ": " + names + "."));
        }
        return out;
    }

private:
    std::vector<std::pair<std::string, std::vector<std::string>>> all_;
};

class Reading {
public:
    Reading(const std::string& file, const cell::Document& document, const LoadWatch& watch, const std::string& folder)
        : file_(file), document_(document), watch_(watch), folder_(folder) {}

    UrdfArm read() {
        parse();
        const xml_node robot = doc_.child("robot");
        index_links(robot);
        const std::string root = find_root(robot);
        stop_at_problems();
        order_links(root);
        const std::string said = robot.attribute("name").as_string("Arm");
        std::string name = said;
        const auto taken = [&] {
            for (const char* list : {"arm_models", "unfinished_models"})
                for (const json& m : document_.tree().value(list, json::array()))
                    if (m.value("name", "") == name) return true;
            return false;
        };
        for (int i = 2; taken(); ++i) name = said + " " + std::to_string(i);
        json& m = out_.model;
        m = {{"id", cell::free_id(document_.tree(), name)}, {"name", name}, {"payload_kg", 0}, {"links", json::array()},
            {"joints", json::array()}};
        for (const xml_node material : robot.children("material")) remember_colour(material);
        for (const std::string& link : order_) read_link(links_.at(link));
        for (const xml_node joint : robot.children("joint")) read_joint(joint);
        for (const xml_node other : robot.children())
            if (other.type() == pugi::node_element && !known(other.name(), {"link", "joint", "material"}))
                notes_.add(std::string("<") + other.name() + "> has no counterpart",
                    other.attribute("name").as_string(other.attribute("reference").as_string("")));
        stop_at_problems();
        choose_flange();
        notes_.add("URDF says no payload; set what the arm carries in Build", "");
        out_.notes = notes_.lines();
        return std::move(out_);
    }

private:
    static bool known(const char* name, std::initializer_list<const char*> words) {
        return std::any_of(words.begin(), words.end(), [&](const char* w) { return std::strcmp(w, name) == 0; });
    }

    void parse() {
        text_ = cell::read_file(file_, largest);
        const pugi::xml_parse_result result = doc_.load_buffer(text_.data(), text_.size());
        if (!result)
            throw InputError("line " + std::to_string(line_of(result.offset)),
                std::string("The file is not whole XML: ") + result.description() + ".");
        if (!doc_.child("robot"))
            throw InputError(file_, "This is not a robot description: it is expected to hold a <robot>.");
        struct Templates : pugi::xml_tree_walker {
            bool found = false;
            bool for_each(xml_node& n) override { return !(found = std::strchr(n.name(), ':') != nullptr); }
        } templates;
        doc_.traverse(templates);
        if (templates.found)
            throw InputError(file_,
                "This is a template (it holds elements with a prefix). Expand it to plain URDF first, and read the "
                "result.");
    }

    std::size_t line_of(std::ptrdiff_t offset) const {
        return 1 + static_cast<std::size_t>(std::count(text_.begin(),
                       text_.begin() + std::clamp<std::ptrdiff_t>(offset, 0, static_cast<std::ptrdiff_t>(text_.size())),
                       '\n'));
    }
    void problem(const xml_node& node, const std::string& message) {
        problems_.push_back({"line " + std::to_string(line_of(node.offset_debug())), message});
    }
    void stop_at_problems() const {
        if (!problems_.empty()) throw InputError(problems_);
    }

    std::vector<double> numbers(const xml_node& node, const char* key, std::size_t count, std::vector<double> usual) {
        const pugi::xml_attribute attribute = node.attribute(key);
        if (!attribute) return usual;
        std::vector<double> out;
        const std::string text = attribute.value();
        const char *at = text.data(), *end = at + text.size();
        while (at < end) {
            if (std::isspace(static_cast<unsigned char>(*at))) {
                ++at;
                continue;
            }
            if (*at == '+') ++at;
            double v = 0;
            const auto [next, wrong] = std::from_chars(at, end, v);
            if (wrong != std::errc() || !std::isfinite(v) || std::abs(v) > 1e6) break;
            out.push_back(v);
            at = next;
        }
        if (at == end && out.size() == count) return out;
        problem(node, std::string("<") + node.name() + " " + key + "=\"" + text + "\">: " +
                          (count == 1 ? "a number is" : std::to_string(count) + " numbers are") + " expected.");
        return usual;
    }
    double number(const xml_node& node, const char* key, double usual) { return numbers(node, key, 1, {usual})[0]; }
    Vector3 three(const xml_node& node, const char* key, const Vector3& usual) {
        const std::vector<double> v = numbers(node, key, 3, {usual.x(), usual.y(), usual.z()});
        return {v[0], v[1], v[2]};
    }
    /// The format's roll, pitch and yaw turn about the fixed x, y and z axes, as ours do.
    Frame origin(const xml_node& of) {
        const xml_node o = of.child("origin");
        return geometry::make_frame(three(o, "xyz", Vector3::Zero()), three(o, "rpy", Vector3::Zero()));
    }

    void index_links(const xml_node& robot) {
        for (const xml_node link : robot.children("link")) {
            const std::string name = link.attribute("name").as_string();
            if (name.empty()) problem(link, "A link without a name.");
            else if (!links_.emplace(name, link).second)
                problem(link, "Another link is named \"" + name + "\" already.");
        }
        if (links_.empty()) throw InputError(file_, "The robot has no links.");
        if (links_.size() > 40)
            throw InputError(
                file_, "The robot has " + std::to_string(links_.size()) + " links; at most 40 are possible.");
    }

    std::string find_root(const xml_node& robot) {
        for (const xml_node joint : robot.children("joint")) {
            const std::string name = joint.attribute("name").as_string(),
                              parent = joint.child("parent").attribute("link").as_string(),
                              child = joint.child("child").attribute("link").as_string();
            for (const std::string& end : {parent, child})
                if (!links_.count(end))
                    problem(joint, "Joint \"" + name + "\" names a link \"" + end + "\" that the file does not have.");
            if (!parent_.emplace(child, parent).second) problem(joint, "Link \"" + child + "\" hangs on two joints.");
        }
        stop_at_problems();
        std::vector<std::string> roots;
        for (const auto& [name, link] : links_)
            if (!parent_.count(name)) roots.push_back(name);
        if (roots.empty()) throw InputError(file_, "Every link hangs on another: the robot has no base.");
        if (roots.size() > 1)
            throw InputError(file_,
                "The links \"" + roots[0] + "\" and \"" + roots[1] + "\" both hang on nothing; one base is expected.");
        return roots.front();
    }

    /// The base first, every link after what carries it, otherwise as in the file.
    void order_links(const std::string& root) {
        order_ = {root};
        std::set<std::string> placed{root};
        for (bool more = true; more;) {
            more = false;
            for (const xml_node link : doc_.child("robot").children("link")) {
                const std::string name = link.attribute("name").as_string();
                if (placed.count(name) || !placed.count(parent_[name])) continue;
                order_.push_back(name);
                placed.insert(name);
                more = true;
            }
        }
        if (order_.size() < links_.size())
            throw InputError(file_, "Some links hang on each other in a ring and have no path to the base.");
    }

    int index_of(const std::string& link) const {
        return static_cast<int>(std::find(order_.begin(), order_.end(), link) - order_.begin());
    }

    void remember_colour(const xml_node& material) {
        const std::vector<double> c = numbers(material.child("color"), "rgba", 4, {});
        if (c.size() != 4) return;
        char text[16];
        const auto byte = [&](std::size_t i) {
            return static_cast<unsigned>(std::lround(255 * std::clamp(c[i], 0.0, 1.0)));
        };
        std::snprintf(text, sizeof text, "#%02x%02x%02x", byte(0), byte(1), byte(2));
        colours_[material.attribute("name").as_string()] = text;
    }

    void read_link(const xml_node& link) {
        const std::string name = link.attribute("name").as_string();
        json one = {{"name", name}, {"bodies", json::array()}};
        const bool drawn = static_cast<bool>(link.child("visual"));
        for (const xml_node shape : link.children(drawn ? "visual" : "collision"))
            read_shape(shape, name, one["bodies"]);
        if (drawn && link.child("collision"))
            notes_.add("Collision shapes are left out, since checks are made with what is drawn", name);
        if (const xml_node inertial = link.child("inertial")) {
            const Frame at = origin(inertial);
            one["mass_kg"] = number(inertial.child("mass"), "value", 0);
            one["centre_mm"] = list(1e3 * at.translation());
            const xml_node i = inertial.child("inertia");
            geometry::Matrix3 tensor;
            const double xx = number(i, "ixx", 0), yy = number(i, "iyy", 0), zz = number(i, "izz", 0),
                         xy = number(i, "ixy", 0), xz = number(i, "ixz", 0), yz = number(i, "iyz", 0);
            tensor << xx, xy, xz, xy, yy, yz, xz, yz, zz;
            tensor = (at.linear() * tensor * at.linear().transpose()).eval();
            one["inertia_kg_m2"] = {tensor(0, 0), tensor(1, 1), tensor(2, 2), tensor(0, 1), tensor(0, 2), tensor(1, 2)};
        }
        for (const xml_node other : link.children())
            if (other.type() == pugi::node_element && !known(other.name(), {"visual", "collision", "inertial"}))
                notes_.add(std::string("<") + other.name() + "> of links has no counterpart", name);
        out_.model["links"].push_back(std::move(one));
    }

    void read_shape(const xml_node& shape, const std::string& link, json& bodies) {
        const Frame at = origin(shape);
        const auto standing = [&](double height) { return Frame(at * geometry::make_frame({0, 0, -0.5 * height})); };
        if (const xml_node material = shape.child("material"); material.child("color")) remember_colour(material);
        const xml_node geometry = shape.child("geometry");
        json body;
        if (const xml_node box = geometry.child("box")) {
            const Vector3 size = three(box, "size", Vector3::Constant(0.1));
            body = {{"shape", "box"}, {"size_mm", list(1e3 * size)}};
            put_frame(body, standing(size.z()));
        } else if (const xml_node round = geometry.child("cylinder")) {
            const double height = number(round, "length", 0.1);
            body = {{"shape", "cylinder"}, {"diameter_mm", tidy(2e3 * number(round, "radius", 0.05))},
                {"height_mm", tidy(1e3 * height)}};
            put_frame(body, standing(height));
        } else if (const xml_node ball = geometry.child("sphere")) {
            body = {{"shape", "sphere"}, {"diameter_mm", tidy(2e3 * number(ball, "radius", 0.05))}};
            put_frame(body, at);
        } else if (const xml_node mesh = geometry.child("mesh")) {
            const std::string id = read_mesh(mesh, link, shape.child("material").attribute("name").as_string());
            if (id.empty()) return;
            body = {{"shape", "mesh"}, {"mesh", id}};
            put_frame(body, at);
        } else {
            for (const xml_node other : geometry.children())
                notes_.add(std::string("<") + other.name() + "> has no counterpart among bodies", link);
            return;
        }
        if (const char* name = shape.attribute("name").as_string(); *name) body["name"] = name;
        bodies.push_back(std::move(body));
    }

    /// package://NAME/REST is looked for as NAME/REST and as REST. Only regular files in the description's own folder
    /// or below, or in the folder that was pointed to: a description may come from anywhere, and names what it likes.
    std::string find_mesh(const std::string& named) {
        namespace fs = std::filesystem;
        std::error_code none;
        std::vector<fs::path> tails;
        if (named.starts_with("package://")) {
            const std::string rest = named.substr(10);
            tails.emplace_back(rest);
            if (const std::size_t slash = rest.find('/'); slash != std::string::npos)
                tails.emplace_back(rest.substr(slash + 1));
        } else {
            tails.emplace_back(named.starts_with("file://") ? named.substr(7) : named);
        }
        std::vector<fs::path> roots{fs::weakly_canonical(fs::absolute(file_, none).parent_path(), none)};
        if (!folder_.empty()) roots.push_back(fs::weakly_canonical(fs::absolute(folder_, none), none));
        bool elsewhere = false;
        for (const fs::path& root : roots)
            for (const fs::path& tail : tails) {
                const fs::path whole = fs::weakly_canonical(root / tail, none);
                if (none || !fs::is_regular_file(whole, none)) continue;
                for (const fs::path& within : roots)
                    if (std::mismatch(within.begin(), within.end(), whole.begin(), whole.end()).first == within.end())
                        return whole.string();
                elsewhere = true;
            }
        if (elsewhere || named.starts_with("package://")) out_.elsewhere.push_back(named);
        return {};
    }

    std::string read_mesh(const xml_node& mesh, const std::string& link, const std::string& material) {
        const std::string named = mesh.attribute("filename").as_string();
        const Vector3 scale = three(mesh, "scale", Vector3::Ones());
        std::ostringstream key;
        key << named << '|' << scale.transpose() << '|' << material;
        if (const auto known = meshes_.find(key.str()); known != meshes_.end()) return known->second;
        std::string& id = meshes_[key.str()];
        const std::string found = find_mesh(named);
        if (found.empty()) {
            const bool elsewhere =
                std::find(out_.elsewhere.begin(), out_.elsewhere.end(), named) != out_.elsewhere.end();
            notes_.add(elsewhere ? "Mesh files that do not lie in the description's folder, so that their links go "
                                   "without; read it again with the folder that holds them (--meshes)"
                                 : "Mesh files that were not found; their links go without",
                link + " (" + named + ")");
            return id;
        }
        try {
            LoadedSurface loaded = load_surface(found, watch_);
            for (auto& p : loaded.surface.points) p = p.cwiseProduct(scale.cast<float>());
            if (scale.prod() < 0)
                for (auto& t : loaded.surface.triangles) std::swap(t[1], t[2]);
            ImportOptions o;
            o.unit = loaded.unit > 0 ? loaded.unit : 1;  // the format's lengths are metres
            o.bottom_centre = false;
            o.name = std::filesystem::path(found).stem().string();
            o.drawn = 20'000;
            o.pieces = 12;
            if (const auto colour = colours_.find(material); colour != colours_.end()) o.colour = colour->second;
            std::string wish = o.name;
            for (int i = 2; taken_.count(cell::free_id(document_.tree(), wish)); ++i)
                wish = o.name + " " + std::to_string(i);
            const std::string fresh = cell::free_id(document_.tree(), wish);
            out_.meshes.push_back(mesh_entry(loaded, o, fresh));
            taken_.insert(fresh);
            id = fresh;
        } catch (const InputError& e) {
            if (watch_.cancel && *watch_.cancel) throw;
            notes_.add("Mesh files that cannot be used; their links go without",
                link + " (" + named + ": " + e.problems().front().message + ")");
        }
        return id;
    }

    void read_joint(const xml_node& joint) {
        const std::string name = joint.attribute("name").as_string(), type = joint.attribute("type").as_string();
        json one = {{"name", name}, {"parent", index_of(joint.child("parent").attribute("link").as_string())},
            {"child", index_of(joint.child("child").attribute("link").as_string())}};
        put_frame(one, origin(joint));
        const bool hinge = type == "revolute" || type == "continuous", slide = type == "prismatic";
        one["type"] = hinge ? "hinge" : slide ? "slide" : "fixed";
        if (type == "floating" || type == "planar") notes_.add("Joints that move freely are taken as fixed", name);
        else if (!hinge && !slide && type != "fixed")
            problem(joint, "Joint \"" + name + "\": \"" + type + "\" is not a type of joint that the format knows.");
        if (hinge || slide) read_drive(joint, name, type, one);
        for (const xml_node other : joint.children())
            if (other.type() == pugi::node_element &&
                !known(other.name(), {"origin", "parent", "child", "axis", "limit", "mimic"}))
                notes_.add(std::string("<") + other.name() + "> of joints has no counterpart", name);
        out_.model["joints"].push_back(std::move(one));
    }

    void read_drive(const xml_node& joint, const std::string& name, const std::string& type, json& one) {
        const bool hinge = type != "prismatic";
        const std::string unit = hinge ? "deg" : "mm";
        const double per = hinge ? 1 / degree : 1e3;
        one["axis"] = list(three(joint.child("axis"), "xyz", Vector3::UnitX()));
        const xml_node limit = joint.child("limit");
        if (type == "continuous") {
            one["min_deg"] = -360, one["max_deg"] = 360;
            notes_.add("Joints that turn without end have limits of -360 and 360 degrees here", name);
        } else {
            if (!limit) problem(joint, "Joint \"" + name + "\" has no <limit>.");
            const double low = number(limit, "lower", 0), high = number(limit, "upper", 0);
            const bool endless =
                joint.child("mimic") && high - low > 1e5;  // what follows another needs no limits of its own
            if (!endless) one["min_" + unit] = tidy(per * low), one["max_" + unit] = tidy(per * high);
        }
        if (number(limit, "effort", 0) > 0)
            notes_.add("Greatest efforts of joints have no counterpart",
                name + " " + limit.attribute("effort").value() + (hinge ? " N m" : " N"));
        if (const xml_node mimic = joint.child("mimic")) {
            const std::string leader = mimic.attribute("joint").as_string();
            const xml_node other = doc_.child("robot").find_child_by_attribute("joint", "name", leader.c_str());
            const bool leads_by_angle = std::strcmp(other.attribute("type").as_string(), "prismatic") != 0;
            const double ratio = number(mimic, "multiplier", 1) * per * (leads_by_angle ? degree : 1e-3);
            one["follows"] = {{{"joint", leader}, {"ratio", tidy(ratio)}}};
            one["offset_" + unit] = tidy(per * number(mimic, "offset", 0));
            return;
        }
        double speed = per * number(limit, "velocity", 0);
        if (speed <= 0) {
            speed = hinge ? 90 : 500;
            notes_.add(hinge ? "Joints without a speed turn at 90 degrees a second"
                             : "Joints without a speed shift at 500 mm a second",
                name);
        }
        one["speed_" + unit + "_s"] = tidy(speed);
        one["acceleration_" + unit + "_s2"] = tidy(4 * speed);
        notes_.add(
            "URDF says no accelerations; these joints reach their speed in 0.25 s, which Build lets you change", name);
    }

    /// At the end of the longest chain of drives; a link that is nothing but a frame there goes before one with a
    /// shape.
    void choose_flange() {
        std::vector<int> drives(order_.size(), 0), steps(order_.size(), 0);
        for (std::size_t l = 1; l < order_.size(); ++l) {
            const int joint = cell::joint_of_link(out_.model, static_cast<int>(l));
            const json& j = out_.model["joints"][joint];
            const auto parent = j["parent"].get<std::size_t>();
            drives[l] = drives[parent] + (j["type"] != "fixed" && !j.contains("follows"));
            steps[l] = steps[parent] + 1;
        }
        std::size_t best = 0;
        const auto better = [&](std::size_t a, std::size_t b) {
            const bool bare_a = out_.model["links"][a]["bodies"].empty(),
                       bare_b = out_.model["links"][b]["bodies"].empty();
            return std::tuple(drives[a], bare_a, steps[a]) > std::tuple(drives[b], bare_b, steps[b]);
        };
        for (std::size_t l = 1; l < order_.size(); ++l)
            if (better(l, best)) best = l;
        out_.model["flange"] = {{"link", best}, {"at_mm", {0, 0, 0}}};
        notes_.add("The flange was put at the end of the longest chain; Build can put it elsewhere", order_[best]);
    }

    std::string file_;
    const cell::Document& document_;
    const LoadWatch& watch_;
    const std::string folder_;
    std::string text_;
    pugi::xml_document doc_;
    std::vector<Problem> problems_;
    Notes notes_;
    std::map<std::string, xml_node> links_;
    std::map<std::string, std::string> parent_, colours_, meshes_;
    std::set<std::string> taken_;
    std::vector<std::string> order_;
    UrdfArm out_;
};

}  // namespace

UrdfArm read_urdf(
    const std::string& file, const cell::Document& document, const LoadWatch& watch, const std::string& meshes) {
    return Reading(file, document, watch, meshes).read();
}

cell::Edit urdf_edit(const cell::Layout& layout, const UrdfArm& arm) {
    cell::Edit edit{"Read " + arm.model.value("name", "arm"), {}};
    if (!arm.meshes.empty() && !layout.tree().contains("meshes"))
        edit.operations.push_back(cell::Operation::set("/meshes", json::array()));
    for (const json& m : arm.meshes) edit.operations.push_back(cell::Operation::add("/meshes", m));
    const cell::Edit model = cell::keep_model(layout.edited(edit), arm.model, edit.name, {}, nullptr);
    edit.operations.insert(edit.operations.end(), model.operations.begin(), model.operations.end());
    return edit;
}

}  // namespace escarp::exchange
