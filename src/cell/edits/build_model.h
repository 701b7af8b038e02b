#pragma once
// Building an arm model piece by piece: edits of its text form, its mistakes while it is not whole yet, and how what
// uses it follows. A model with mistakes is kept in the document beside the whole ones ("unfinished_models"), so that
// nothing is lost.

#include <map>

#include <cell/model/device_kind.h>
#include <cell/read/read_model.h>

#include "compose.h"

namespace escarp::cell {

/// A base that stands on the floor, and nothing on it yet.
json begun_model(const std::string& id, const std::string& name);
/// A link more, on a new joint ("hinge", "slide" or "fixed") on top of `parent`. Returns its index.
int add_link(json& model, int parent, const std::string& joint_type);
/// What hung on the link hangs on what carried it, and stays where it is at joint values 0.
void remove_link(json& model, int link);
/// Index of the joint that carries a link; -1: none does.
int joint_of_link(const json& model, int link);
/// Where the joint stands with `value` (rad or m) becomes its zero position: all stays where it is, the limits and what
/// follows it move along. `shifts` receives what taught joint values have to change by, by the joint's name.
void make_zero(json& model, int joint, double value, std::map<std::string, double>& shifts);

/// Whatever can be made of a model, mistaken or not.
struct ModelDraft {
    struct Link {
        std::string name;
        geometry::Bodies bodies;
        int joint = -1;     ///< that carries it
        bool hangs = true;  ///< on the base, directly or not
    };
    std::vector<Link> links;
    std::vector<FileJoint> joints;  ///< in the file's order
    int flange_link = 0;
    Frame flange = Frame::Identity();
    std::vector<Problem> problems;  ///< paths within the model: "joints/0/axis"
    kinematics::ArmModel model;     ///< means something where there are no problems

    /// A joint's own value, or what it follows, when joints with a drive have these values by name (rad, m; 0 where
    /// none is given).
    double value(int joint, const std::map<std::string, double>& values) const;
    /// Of every link, in the base; those that do not hang on it stand there too.
    std::vector<Frame> frames(const std::map<std::string, double>& values) const;
};
ModelDraft read_draft(const json& model, const std::vector<MeshAsset>& meshes);

/// The edit that keeps `model`: in place of the one with its id where it has no mistakes and the cell still makes sense
/// with it, else as unfinished. Joint values taught to its arms follow by the joints' names, less `shifts`. `mistakes`
/// receives what keeps it unfinished.
Edit keep_model(const Layout& layout, const json& model, const std::string& name,
    const std::map<std::string, double>& shifts, std::vector<Problem>* mistakes);
/// The newest state of a model, unfinished or not; null: there is none with this id.
const json* find_model(const json& tree, const std::string& id);
/// Devices that have this model.
std::vector<std::string> users_of_model(const json& tree, const std::string& id);
/// Throws InputError naming the devices that use it.
Edit remove_model(const Layout& layout, const std::string& id);

}  // namespace escarp::cell
