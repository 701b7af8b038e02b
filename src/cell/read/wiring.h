#pragma once
// Who tells whom: setters and hearers of every signal, and the list of addresses under which a controller knows them.

#include "layout.h"

namespace escarp::cell {

/// A step that names a signal, or an input that looks at it.
struct SignalUse {
    int device = -1;
    std::string step;   ///< id; empty: an input
    std::string words;  ///< "Wait: Tester free", "input run"
};

struct Wiring {
    std::vector<std::vector<SignalUse>> heard_by, set_by;  ///< by signal
};
Wiring wiring(const Cell& cell);

/// A line of the I/O list. Outputs of devices are the controller's inputs, and the other way round.
struct IoLine {
    int signal = -1;
    std::string address;  ///< "%IX0.3", as IEC 61131-3 writes direct addresses, counted in bytes
    bool given = false;   ///< stands in the file; else it is the first that is free
    std::string comment;
};
std::vector<IoLine> io_list(const Cell& cell);
/// Writes every address down that is not given yet: it stays from then on.
Edit give_addresses(const Layout& layout);
/// `what`: "address", "comment" or "outside" (yes, no); an empty text takes it away. Throws InputError where another signal has the address.
Edit describe_signal(const Layout& layout, const std::string& device, const std::string& signal,
    const std::string& what, const std::string& text);

}  // namespace escarp::cell
