#include "connection.h"

namespace escarp::link {

std::unique_ptr<Connection> connect(const cell::Link& link, LiveRun& run, bool lock_step) {
    using Protocol = cell::Link::Protocol;
    switch (link.protocol) {
        case Protocol::modbus_server: return modbus_server(link, run, lock_step);
        case Protocol::modbus_client: return modbus_client(link, run, lock_step);
        case Protocol::mqtt: return mqtt(link, run, lock_step);
    }
    return nullptr;
}

}  // namespace escarp::link
