#pragma once
// Arms in the open XML robot description format (URDF): read with their meshes, limits and inertias, and written.

#include <string>
#include <vector>

#include "mesh_import.h"

namespace escarp::exchange {

struct UrdfArm {
    cell::json model;                ///< an element of a cell's "arm_models"
    std::vector<cell::json> meshes;  ///< elements of its "meshes" that the model names
    std::vector<std::string>
        notes;  ///< what the file says and a cell has no place for, what it leaves open and what was taken instead
    std::vector<std::string> elsewhere;  ///< meshes, as the file names them, that do not lie where they may be read
};

/// Throws InputError with the line and the reason for what cannot be understood. Ids are free in `document`. A mesh
/// file that is missing or broken becomes a note; its link goes without. Meshes are read from the file's own folder and
/// below, and from `meshes`, a folder that the engineer has pointed to (empty: none).
UrdfArm read_urdf(const std::string& file, const cell::Document& document, const LoadWatch& watch = {},
    const std::string& meshes = {});
/// The edit that brings it into a cell: its meshes, and the model (among the unfinished ones if it has mistakes).
cell::Edit urdf_edit(const cell::Layout& layout, const UrdfArm& arm);

/// Writes a model of `tree` (a resolved cell) to `file`, and the surfaces it needs as STL files into a folder beside
/// it. Returns what URDF has no place for. Throws InputError when it cannot be written.
std::vector<std::string> write_urdf(const cell::json& tree, const std::string& model, const std::string& file);

}  // namespace escarp::exchange
