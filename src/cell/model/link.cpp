#include "link.h"

#include <arpa/inet.h>
#include <netinet/in.h>

#include "field.h"
#include "tables.h"

namespace escarp::cell {
namespace {
const std::vector<std::string> protocols{"Modbus TCP server", "Modbus TCP client", "MQTT"};
const std::vector<std::string> losses{"last values", "all off", "the run pauses"};
std::size_t place(const std::vector<std::string>& all, const std::string& one) {
    for (std::size_t i = 0; i < all.size(); ++i)
        if (all[i] == one) return i;
    return 0;
}
}  // namespace

const Fields& outside_link_fields() {
    using namespace field;
    static const Fields all{own_id(), text("name", "name").of_number(1, 0).lacking(),
        choice("protocol", "protocol", protocols)
            .usually(protocols[0])
            .explained("As server the cell is the controller's remote I/O; as client it reads and writes the "
                       "controller's registers; over MQTT it tells its signals and joint values, and takes commands."),
        text("host", "address").usually("127.0.0.1").explained("To listen at, or to connect to."),
        whole("port", "port", 0, 65535).usually(0).explained("0: 1502 of Modbus, 1883 of MQTT, 8883 with TLS."),
        whole("unit", "unit", 1, 247).usually(1),
        number("every_s", "exchanged every", 0.001, 60)
            .usually(0.02)
            .explained("Of a client, and of signals over MQTT."),
        number("time_out_s", "time-out", 0.01, 60).usually(0.5),
        choice("word_order", "word order", {"high word first", "low word first"})
            .usually("high word first")
            .explained("Of a number in two registers."),
        choice("when_lost", "while it is lost", losses).usually(losses[0]),
        text("topic", "topics begin with").usually("").explained("Of MQTT; the cell's name if it is empty."),
        number("joints_per_s", "joint values a second", 0, 1000)
            .usually(50)
            .explained("Of MQTT, for everything that moves."),
        flag("tls", "TLS", false)
            .explained("Of MQTT, with the system's certificates. User and password come from the environment "
                       "(ESCARP_MQTT_USER, ESCARP_MQTT_PASSWORD), never from the file.")};
    return all;
}

const char* word(Link::Protocol protocol) { return protocols[static_cast<std::size_t>(protocol)].c_str(); }

bool Link::loopback() const {
    if (host == "localhost") return true;
    in_addr four{};
    if (::inet_pton(AF_INET, host.c_str(), &four) == 1) return (ntohl(four.s_addr) >> 24) == 127;
    in6_addr six{};
    return ::inet_pton(AF_INET6, host.c_str(), &six) == 1 && IN6_IS_ADDR_LOOPBACK(&six);
}

Link read_link(const Reader& r) {
    const Values v(r, outside_link_fields());
    Link l;
    l.id = v.id(), l.name = v.text("name", l.id);
    l.protocol = static_cast<Link::Protocol>(place(protocols, v.choice("protocol")));
    l.host = v.text("host");
    l.topic = v.text("topic"), l.joints_per_s = v.number("joints_per_s"), l.tls = v.flag("tls");
    l.port = v.whole("port");
    if (l.port == 0) l.port = l.protocol != Link::Protocol::mqtt ? 1502 : l.tls ? 8883 : 1883;
    if (l.topic.find_first_of("+#") != std::string::npos)
        r.problem("topic", "+ and # have a meaning in topics; a text without them is expected.");
    l.unit = v.whole("unit");
    l.every = v.number("every_s"), l.time_out = v.number("time_out_s");
    l.high_word_first = v.choice("word_order") == "high word first";
    l.lost = static_cast<Link::Lost>(place(losses, v.choice("when_lost")));
    return l;
}

}  // namespace escarp::cell
