#include <cmath>
#include <cstring>
#include <filesystem>
#include <pugixml.hpp>

#include <cell/edits/build_model.h>
#include <cell/text/disk.h>
#include <geometry/mesh.h>

#include "surface_file.h"
#include "urdf.h"

namespace escarp::exchange {
namespace {

using cell::InputError;
using cell::json;
using geometry::Frame;
using geometry::Vector3;
using pugi::xml_node;

std::string text(double v) {
    char out[40];
    std::snprintf(out, sizeof out, "%.9g", std::abs(v) < 1e-12 ? 0.0 : v);
    return out;
}
std::string text(const Vector3& v) { return text(v.x()) + " " + text(v.y()) + " " + text(v.z()); }

void put_origin(xml_node into, const Frame& at) {
    xml_node o = into.append_child("origin");
    o.append_attribute("xyz") = text(Vector3(at.translation())).c_str();
    o.append_attribute("rpy") = text(geometry::to_triple(at.linear())).c_str();
}

void add_mesh(geometry::Surface& to, const geometry::Convex& shape) {
    const geometry::Mesh m = geometry::mesh(shape);
    const auto first = static_cast<std::uint32_t>(to.points.size());
    for (const Vector3& p : m.points) to.points.push_back(p.cast<float>());
    for (const auto& t : m.triangles)
        to.triangles.push_back({first + static_cast<std::uint32_t>(t[0]), first + static_cast<std::uint32_t>(t[1]),
            first + static_cast<std::uint32_t>(t[2])});
}

/// XML has no place for control characters, not even escaped (XML 1.0, 2.2).
std::string written(std::string name) {
    for (char& c : name)
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f) c = ' ';
    return name;
}

class Writing {
public:
    Writing(const json& tree, const std::string& file) : tree_(tree), path_(file) {}

    std::vector<std::string> write(const json& model) {
        std::vector<cell::MeshAsset> meshes;
        for (const json& m : tree_.value("meshes", json::array())) meshes.push_back(asset(m));
        const cell::ModelDraft d = cell::read_draft(model, meshes);
        if (!d.problems.empty()) throw InputError(d.problems);
        pugi::xml_document doc;
        xml_node robot = doc.append_child("robot");
        robot.append_attribute("name") = written(model.value("name", "arm")).c_str();
        for (std::size_t l = 0; l < d.links.size(); ++l) write_link(robot, d, l, model["links"][l]);
        for (const cell::FileJoint& j : d.joints) write_joint(robot, d, j);
        write_flange(robot, d);
        std::string limits;
        for (const cell::FileJoint& j : d.joints)
            if (!j.fixed && !j.follows) limits += (limits.empty() ? "" : ", ") + j.joint.name;
        notes_.push_back("URDF has no place for accelerations and jerk of joints: " + limits + ".");
        notes_.push_back("URDF has no place for the payload, the ready posture, and the limits of straight moves.");
        notes_.push_back("Greatest efforts are required by URDF and not known here; 0 is written.");
        std::ostringstream text;
        doc.save(text, "  ");
        cell::write_file(path_.string(), text.str());
        return notes_;
    }

private:
    static cell::MeshAsset asset(const json& m) {
        cell::MeshAsset a{m.value("id", ""), m.value("name", ""), "", {}};
        for (const json& piece : m.value("pieces", json::array())) {
            std::vector<Vector3> points;
            for (std::size_t i = 0; i + 2 < piece.size(); i += 3)
                points.push_back(
                    1e-3 * Vector3(piece[i].get<double>(), piece[i + 1].get<double>(), piece[i + 2].get<double>()));
            if (!points.empty()) a.pieces.push_back(geometry::Convex::hull(std::move(points)));
        }
        return a;
    }

    static std::string link_name(const cell::ModelDraft& d, std::size_t l) {
        const std::string& own = d.links[l].name;
        const auto same = std::count_if(d.links.begin(), d.links.end(), [&](const auto& o) { return o.name == own; });
        return written(own.empty() || same > 1 ? own + "_" + std::to_string(l) : own);
    }

    /// What is drawn and what is checked are the same here.
    template <typename Fill>
    void add_shape(xml_node link, const std::string& name, const Frame& at, const Fill& fill) {
        for (const char* role : {"visual", "collision"}) {
            xml_node shape = link.append_child(role);
            if (!name.empty()) shape.append_attribute("name") = written(name).c_str();
            put_origin(shape, at);
            fill(shape.append_child("geometry"));
        }
    }

    void write_link(xml_node robot, const cell::ModelDraft& d, std::size_t l, const json& said) {
        xml_node link = robot.append_child("link");
        link.append_attribute("name") = link_name(d, l).c_str();
        if (const double mass = said.value("mass_kg", 0.0); mass > 0) {
            xml_node inertial = link.append_child("inertial");
            const json centre = said.value("centre_mm", json({0, 0, 0}));
            put_origin(inertial, geometry::make_frame(1e-3 * Vector3(centre[0].get<double>(), centre[1].get<double>(),
                                                                 centre[2].get<double>())));
            inertial.append_child("mass").append_attribute("value") = text(mass).c_str();
            xml_node i = inertial.append_child("inertia");
            static const char* keys[] = {"ixx", "iyy", "izz", "ixy", "ixz", "iyz"};
            for (std::size_t k = 0; k < 6; ++k)
                i.append_attribute(keys[k]) =
                    text(said.contains("inertia_kg_m2") ? said["inertia_kg_m2"][k].get<double>() : 0).c_str();
        }
        for (const geometry::Body& b : d.links[l].bodies) write_body(link, b);
    }

    void write_body(xml_node link, const geometry::Body& b) {
        const geometry::Convex& s = b.shape;
        const auto ball = [&](const Frame& at, double radius) {
            add_shape(link, b.name, at,
                [&](xml_node g) { g.append_child("sphere").append_attribute("radius") = text(radius).c_str(); });
        };
        const auto cylinder = [&](const Frame& at, double radius, double length) {
            add_shape(link, b.name, at, [&](xml_node g) {
                xml_node c = g.append_child("cylinder");
                c.append_attribute("radius") = text(radius).c_str();
                c.append_attribute("length") = text(length).c_str();
            });
        };
        if (b.stand_in && b.mesh.empty()) return;  // its surface has been written
        if (b.stand_in) return write_surface(link, b.name, b.at, surface_of_mesh(b.mesh));
        if (s.core() == geometry::Convex::Core::box && s.radius() == 0)
            return add_shape(link, b.name, b.at, [&](xml_node g) {
                g.append_child("box").append_attribute("size") = text(Vector3(2 * s.half())).c_str();
            });
        if (s.core() == geometry::Convex::Core::cylinder && s.radius() == 0)
            return cylinder(b.at, s.half().x(), 2 * s.half().z());
        if (s.core() == geometry::Convex::Core::points && s.points().size() == 1)
            return ball(b.at * geometry::make_frame(s.points()[0]), s.radius());
        if (s.core() == geometry::Convex::Core::points && s.points().size() == 2 && s.radius() > 0) {
            const Vector3 along = s.points()[1] - s.points()[0];
            Frame middle = geometry::make_frame(0.5 * (s.points()[0] + s.points()[1]));
            middle.linear() = Eigen::Quaterniond::FromTwoVectors(Vector3::UnitZ(), along).toRotationMatrix();
            if (along.norm() > 1e-9) cylinder(b.at * middle, s.radius(), along.norm());
            for (const Vector3& end : s.points()) ball(b.at * geometry::make_frame(end), s.radius());
            return;
        }
        geometry::Surface surface;
        add_mesh(surface, s);
        write_surface(link, b.name, b.at, surface);
    }

    geometry::Surface surface_of_mesh(const std::string& id) const {
        for (const json& m : tree_.value("meshes", json::array())) {
            if (m.value("id", "") != id) continue;
            if (const auto drawn = surface_of(m)) return *drawn;
            geometry::Surface pieces;  // it is linked: what checks use in its place
            for (const geometry::Convex& c : asset(m).pieces) add_mesh(pieces, c);
            return pieces;
        }
        return {};
    }

    void write_surface(xml_node link, const std::string& name, const Frame& at, const geometry::Surface& surface) {
        const std::filesystem::path folder = path_.stem().string() + "_meshes";
        std::error_code wrong;
        std::filesystem::create_directories(path_.parent_path() / folder, wrong);
        const std::filesystem::path file =
            folder / (std::string(link.attribute("name").value()) + "_" + std::to_string(++surfaces_) + ".stl");
        write_stl((path_.parent_path() / file).string(), surface);
        add_shape(link, name, at,
            [&](xml_node g) { g.append_child("mesh").append_attribute("filename") = file.generic_string().c_str(); });
    }

    void write_joint(xml_node robot, const cell::ModelDraft& d, const cell::FileJoint& j) {
        xml_node joint = robot.append_child("joint");
        joint.append_attribute("name") = written(j.joint.name).c_str();
        const bool hinge = j.joint.type == kinematics::JointType::hinge;
        joint.append_attribute("type") = j.fixed ? "fixed" : hinge ? "revolute" : "prismatic";
        put_origin(joint, j.joint.at);
        joint.append_child("parent").append_attribute("link") =
            link_name(d, static_cast<std::size_t>(j.joint.parent)).c_str();
        joint.append_child("child").append_attribute("link") =
            link_name(d, static_cast<std::size_t>(j.joint.child)).c_str();
        if (j.fixed) return;
        joint.append_child("axis").append_attribute("xyz") = text(j.joint.axis).c_str();
        xml_node limit = joint.append_child("limit");
        limit.append_attribute("lower") = text(j.joint.low).c_str();
        limit.append_attribute("upper") = text(j.joint.high).c_str();
        limit.append_attribute("effort") = "0";
        limit.append_attribute("velocity") = text(j.joint.speed).c_str();
        if (!j.follows) return;
        xml_node mimic = joint.append_child("mimic");
        const auto leader = std::find_if(d.joints.begin(), d.joints.end(),
            [&](const cell::FileJoint& o) { return o.joint.name == j.leaders.front().first; });
        mimic.append_attribute("joint") = written(j.leaders.front().first).c_str();
        mimic.append_attribute("multiplier") =
            text(j.leaders.front().second * cell::file_unit(j.joint.type) / cell::file_unit(leader->joint.type))
                .c_str();
        mimic.append_attribute("offset") = text(j.offset).c_str();
        if (j.leaders.size() > 1)
            notes_.push_back("URDF lets a joint follow one other: of " + j.joint.name + " only \"follows " +
                             j.leaders.front().first + "\" is written.");
    }

    void write_flange(xml_node robot, const cell::ModelDraft& d) {
        if (d.flange.isApprox(Frame::Identity()) && d.links[d.flange_link].bodies.empty()) return;
        const auto taken = [&](const std::string& name) {
            return static_cast<bool>(robot.find_child_by_attribute("name", name.c_str()));
        };
        std::string name = "flange";
        for (int i = 2; taken(name); ++i) name = "flange_" + std::to_string(i);
        robot.append_child("link").append_attribute("name") = name.c_str();
        xml_node joint = robot.append_child("joint");
        joint.append_attribute("name") = (name + "_fixed").c_str();
        joint.append_attribute("type") = "fixed";
        put_origin(joint, d.flange);
        joint.append_child("parent").append_attribute("link") =
            link_name(d, static_cast<std::size_t>(d.flange_link)).c_str();
        joint.append_child("child").append_attribute("link") = name.c_str();
    }

    const json& tree_;
    std::filesystem::path path_;
    int surfaces_ = 0;
    std::vector<std::string> notes_;
};

}  // namespace

std::vector<std::string> write_urdf(const json& tree, const std::string& model, const std::string& file) {
    const json* found = cell::find_model(tree, model);
    if (!found) throw InputError("model", "\"" + model + "\" is not the id of an arm model of this file.");
    return Writing(tree, file).write(*found);
}

}  // namespace escarp::exchange
