#pragma once
// What an arm's card says beside what every device has: model, tools, travel axis, how it moves.

#include <QLabel>
#include <QVBoxLayout>
#include <functional>

#include "workspace.h"

namespace escarp::desktop {

/// `context` lives as long as the fields do; `mark` shows where a variant differs.
void add_arm_fields(Workspace& workspace, QVBoxLayout* into, const cell::Device& arm, const cell::json& values,
    QObject* context, const std::function<void(QWidget*, QLabel*, const std::string& path)>& mark);

}  // namespace escarp::desktop
