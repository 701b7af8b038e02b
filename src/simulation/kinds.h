#pragma once
// The kinds of device. A new one is a file in kinds/ and a line in `standard_kinds`.

#include <cell/layout.h>

#include "kernel.h"

namespace escarp::simulation {

std::unique_ptr<Kind> arm_kind();
std::unique_ptr<Kind> conveyor_kind();
std::unique_ptr<Kind> infeed_kind();
std::unique_ptr<Kind> outfeed_kind();
std::unique_ptr<Kind> fixture_kind();
std::unique_ptr<Kind> beam_kind();
std::unique_ptr<Kind> structure_kind();
std::unique_ptr<Kind> fence_kind();
std::unique_ptr<Kind> tray_kind();
std::unique_ptr<Kind> solid_kind();
std::unique_ptr<Kind> marking_kind();

const cell::Kinds& standard_kinds();
/// A variant of a document, to be read with them.
inline cell::Layout layout(cell::Document document, std::string variant) {
    return {std::move(document), std::move(variant), standard_kinds()};
}

}  // namespace escarp::simulation
