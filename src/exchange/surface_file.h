#pragma once
// Triangle surfaces as files in open formats.

#include <string>

#include <geometry/mesh.h>
#include <geometry/surface.h>

namespace escarp::exchange {

geometry::Surface surface_of(const geometry::Mesh& mesh);

/// Binary STL, metres, z up. Throws InputError where the file cannot be written.
void write_stl(const std::string& file, const geometry::Surface& surface);
/// glTF 2.0 in one binary file: metres, turned so that y is up as the format demands; drawn half transparent from both
/// sides. Throws InputError.
void write_glb(const std::string& file, const geometry::Surface& surface, const std::string& name);

}  // namespace escarp::exchange
