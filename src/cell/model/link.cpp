#include "link.h"

#include <arpa/inet.h>
#include <netinet/in.h>

#include "cell.h"
#include "field.h"
#include "tables.h"

namespace escarp::cell {
namespace {
const std::vector<std::string> protocols{"Modbus TCP server", "Modbus TCP client", "MQTT"};
const std::vector<std::string> name_units{"as it is", "deg", "rad", "mm", "m"};
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
        number("silence_s", "silent after", 0.01, 3600)
            .usually(1)
            .explained("Of MQTT: an arm that follows and is not heard of for so long is told."),
        list("names", "names", link_name_fields, 10'000),
        flag("tls", "TLS", false)
            .explained("Of MQTT, with the system's certificates. User and password come from the environment "
                       "(ESCARP_MQTT_USER, ESCARP_MQTT_PASSWORD), never from the file.")};
    return all;
}

const Fields& link_name_fields() {
    using namespace field;
    static const Fields all{text("ours", "in the cell"), text("theirs", "outside"),
        choice("unit", "in", name_units).usually("as it is"), number("factor", "times", -1e9, 1e9).usually(1),
        number("offset", "plus", -1e9, 1e9).usually(0)};
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

std::vector<Problem> wrong_names(const Link& link, const Cell& cell) {
    std::vector<Problem> out;
    for (std::size_t i = 0; i < link.names.size(); ++i) {
        const std::string& ours = link.names[i].ours;
        const std::string where = "links/" + link.id + "/names/" + std::to_string(i) + "/ours";
        const std::string id = ours.substr(0, ours.find('.'));
        const int index = cell.device(id);
        if (index < 0) {
            out.push_back({where,
                "\"" + id + "\" is not the id of a device; \"arm\", \"arm.J1\" or \"sensor.seen\" is expected."});
            continue;
        }
        const Device& d = cell.devices[static_cast<std::size_t>(index)];
        if (ours == id) {
            if (!d.arm)
                out.push_back({where, d.name + " is no arm; one of its signals is expected, as in \"sensor.seen\"."});
            continue;
        }
        const std::string rest = ours.substr(id.size() + 1);
        std::string known;
        bool is = false;
        const auto there = [&](const std::string& name) {
            is = is || name == rest;
            known += (known.empty() ? "" : ", ") + name;
        };
        if (d.arm)
            for (const kinematics::Joint& j : d.arm->model->mechanism.joints) there(j.name);
        for (const Signal& s : cell.signals)
            if (s.device == index) there(s.name);
        if (!is)
            out.push_back({where, d.name + " has no joint and no signal \"" + rest + "\"" +
                                      (known.empty() ? "." : "; it has " + known + ".")});
    }
    return out;
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
    l.silence = v.number("silence_s");
    for (const Reader& one : v.list("names")) {
        const Values n(one, link_name_fields());
        Link::Name name{n.text("ours"), n.text("theirs"), n.choice("unit"), n.number("factor"), n.number("offset")};
        if (name.unit == name_units.front()) name.unit.clear();
        if (name.factor == 0) one.problem("factor", "With 0 every value is the same; another factor is expected.");
        for (const Link::Name& other : l.names)
            if (other.ours == name.ours)
                one.problem("ours", "\"" + name.ours + "\" has a name already; one each is expected.");
        l.names.push_back(std::move(name));
    }
    l.every = v.number("every_s"), l.time_out = v.number("time_out_s");
    l.high_word_first = v.choice("word_order") == "high word first";
    l.lost = static_cast<Link::Lost>(place(losses, v.choice("when_lost")));
    return l;
}

}  // namespace escarp::cell
