#pragma once
// A live run's connections.

#include <memory>

#include "address_table.h"
#include "live_run.h"

namespace escarp::link {

struct LinkStatus {
    bool connected = false;
    std::string words = {};  ///< "2 clients", "connected", "tries again: Connecting to ... failed: Connection refused."
    long exchanges = 0, refused = 0, lost = 0;  ///< requests; what was none or no number; connections that went
    std::vector<std::string> unmatched = {};    ///< names on either side that have no counterpart, in words
};

/// One link of a cell, switched on. When the connection goes it tries again by itself.
class Connection {
public:
    virtual ~Connection() = default;
    virtual LinkStatus status() const = 0;
};

/// Throws wire::WireError where it cannot listen, and InputError where the addresses do not fit, or where lock-step is
/// asked of a protocol that has none. The run has to outlive it.
std::unique_ptr<Connection> connect(const cell::Link& link, LiveRun& run, bool lock_step);

// One for each protocol, in a file of its own; `connect` has a line for each.
std::unique_ptr<Connection> modbus_server(const cell::Link& link, LiveRun& run, bool lock_step);
std::unique_ptr<Connection> modbus_client(const cell::Link& link, LiveRun& run, bool lock_step);
std::unique_ptr<Connection> mqtt(const cell::Link& link, LiveRun& run, bool lock_step);

}  // namespace escarp::link
