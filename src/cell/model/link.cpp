#include "link.h"

#include "field.h"
#include "tables.h"

namespace escarp::cell {
namespace {
const std::vector<std::string> protocols{"Modbus TCP server", "Modbus TCP client"};
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
                       "controller's registers."),
        text("host", "address").usually("127.0.0.1").explained("To listen at, or to connect to."),
        whole("port", "port", 1, 65535).usually(1502), whole("unit", "unit", 1, 247).usually(1),
        number("every_s", "exchanged every", 0.001, 60).usually(0.02).explained("Of a client."),
        number("time_out_s", "time-out", 0.01, 60).usually(0.5),
        choice("word_order", "word order", {"high word first", "low word first"})
            .usually("high word first")
            .explained("Of a number in two registers."),
        choice("when_lost", "while it is lost", losses).usually(losses[0])};
    return all;
}

const char* word(Link::Protocol protocol) { return protocols[static_cast<std::size_t>(protocol)].c_str(); }

bool Link::loopback() const { return host == "localhost" || host == "::1" || host.rfind("127.", 0) == 0; }

Link read_link(const Reader& r) {
    const Values v(r, outside_link_fields());
    Link l;
    l.id = v.id(), l.name = v.text("name", l.id);
    l.protocol = static_cast<Link::Protocol>(place(protocols, v.choice("protocol")));
    l.host = v.text("host");
    l.port = v.whole("port"), l.unit = v.whole("unit");
    l.every = v.number("every_s"), l.time_out = v.number("time_out_s");
    l.high_word_first = v.choice("word_order") == "high word first";
    l.lost = static_cast<Link::Lost>(place(losses, v.choice("when_lost")));
    return l;
}

}  // namespace escarp::cell
