#pragma once
// How a link reaches its broker, and what its topics begin with.

#include <cell/model/cell.h>
#include <wire/mqtt.h>

namespace escarp::link {

/// Host, port, TLS as the link says; user and password from the environment.
wire::MqttOptions broker_of(const cell::Link& link);
/// "CELL": what the link says, or the cell's name without what has a meaning in topics.
std::string base_topic(const cell::Link& link, const cell::Cell& cell);
/// Joint values as a message: names, values in deg and mm, units, the instant.
std::string joints_message(const cell::Device& device, const kinematics::JointVector& q, double at_s);

}  // namespace escarp::link
