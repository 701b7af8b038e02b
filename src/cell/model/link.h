#pragma once
// A connection of the cell with something outside, over an open protocol. Nothing is connected because a file says so.

#include <string>

#include "reader.h"

namespace escarp::cell {

struct Link {
    enum class Protocol { modbus_server, modbus_client, mqtt } protocol = Protocol::modbus_server;
    /// What holds while the other side is not there.
    enum class Lost { last_values, all_off, pause } lost = Lost::last_values;
    std::string id, name;
    std::string host;             ///< to listen at, or to connect to
    int port = 0;                 ///< the protocol's own where the file says 0
    int unit = 1;                 ///< Modbus unit identifier
    double every = 0.02;          ///< s between exchanges, of a client
    double time_out = 0.5;        ///< s
    bool high_word_first = true;  ///< of a number in two registers
    std::string topic;            ///< of MQTT: what all topics begin with; empty: the cell's name
    double joints_per_s = 50;     ///< messages with joint values; 0: none
    bool tls = false;
    bool loopback() const;  ///< nobody else can be reached, nor reach it
};

const char* word(Link::Protocol protocol);  ///< "Modbus TCP server", "Modbus TCP client"
Link read_link(const Reader& r);

}  // namespace escarp::cell
