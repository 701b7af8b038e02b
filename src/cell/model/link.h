#pragma once
// A connection of the cell with something outside, over an open protocol. Nothing is connected because a file says so.

#include <string>
#include <vector>

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
    double silence = 1;    ///< s: a follower that is not heard of for so long is told
    /// What is called, or counted, otherwise at the other end.
    struct Name {
        std::string ours;    ///< "arm", "arm.J1" or "arm.signal"
        std::string theirs;  ///< a topic, or the name of a joint in a message
        std::string unit;    ///< that their value comes in: deg, rad, mm, m; empty: as it is
        double factor = 1, offset = 0;  ///< ours = factor * theirs + offset, in deg, mm, or the signal's own unit
    };
    std::vector<Name> names;
    bool loopback() const;  ///< nobody else can be reached, nor reach it
};

struct Cell;
/// What of a link's names is not in the cell: where in the link, and what there is instead. Not asked while a file is
/// read: a variant may do without a device that others have.
std::vector<Problem> wrong_names(const Link& link, const Cell& cell);

const char* word(Link::Protocol protocol);  ///< "Modbus TCP server", "Modbus TCP client"
Link read_link(const Reader& r);

}  // namespace escarp::cell
