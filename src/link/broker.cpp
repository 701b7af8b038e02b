#include "broker.h"

#include <cstdlib>

#include <cell/text/json.h>

namespace escarp::link {

using cell::json;

wire::MqttOptions broker_of(const cell::Link& link) {
    const auto environment = [](const char* name) {
        const char* value = std::getenv(name);
        return std::string(value ? value : "");
    };
    wire::MqttOptions how;
    how.broker = {link.host, link.port, 0, link.time_out};
    how.tls = link.tls;
    how.user = environment("ESCARP_MQTT_USER"), how.password = environment("ESCARP_MQTT_PASSWORD");
    return how;
}

std::string base_topic(const cell::Link& link, const cell::Cell& cell) {
    if (!link.topic.empty()) return link.topic;
    std::string out;
    for (const char c : cell.name)
        out.push_back(c == '/' || c == '+' || c == '#' || c == '$' || static_cast<unsigned char>(c) < 0x20 ? '_' : c);
    return out;
}

std::string joints_message(const cell::Device& device, const kinematics::JointVector& q, double at_s) {
    json names = json::array(), values = json::array(), units = json::array();
    const auto& joints = device.mover()->model->mechanism.joints;
    for (std::size_t j = 0; j < joints.size() && static_cast<int>(j) < q.size(); ++j) {
        const bool slide = joints[j].type == kinematics::JointType::slide;
        names.push_back(joints[j].name);
        values.push_back(q[static_cast<int>(j)] * (slide ? 1000 : 180 / geometry::pi));
        units.push_back(slide ? "mm" : "deg");
    }
    return json{{"t_s", at_s}, {"names", names}, {"values", values}, {"units", units}}.dump();
}

}  // namespace escarp::link
