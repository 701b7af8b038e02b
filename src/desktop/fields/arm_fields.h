#pragma once
// What an arm's card says beside what every device has: model, tools, travel axis, how it moves.

#include <QVBoxLayout>

namespace escarp::desktop {

/// `context` lives as long as the fields do.
void add_arm_and_tools(OpenCell& open, const Results& results, QVBoxLayout* into, const cell::Device& arm,
    const cell::json& values, QObject* context);
void add_how_it_moves(OpenCell& open, const Results& results, QVBoxLayout* into, const cell::Device& arm,
    const cell::json& values, QObject* context);

}  // namespace escarp::desktop
