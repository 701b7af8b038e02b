#pragma once
// What devices tell each other.

#include <memory>
#include <string>

namespace escarp::cell {

class Expression;

/// A value that one device sets and any may look at (an output), or that a device takes from others (an input).
struct Signal {
    enum class Type { on_off, whole, number };
    enum class Way { output, input };
    std::string name;
    Type type = Type::on_off;
    Way way = Way::output;
    double start = 0;                               ///< on is 1; of an input: its value while nothing is connected
    std::string unit = {};                          ///< of a number, for people
    int device = -1;                                ///< index
    bool own = false;                               ///< named in the file, not by the kind of device
    std::string address = {}, comment = {};         ///< as the controller knows it; empty: none is given
    bool outside = false;                           ///< in a live run it comes from a controller alone
    std::shared_ptr<const Expression> source = {};  ///< what an input takes its value from; null: nothing

    /// On while nothing is connected.
    static Signal input_on(const char* name) { return {name, Type::on_off, Way::input, 1}; }
    static Signal input_off(const char* name) { return {name, Type::on_off, Way::input}; }
    static Signal count(const char* name) { return {name, Type::whole}; }

    bool on_off() const { return type == Type::on_off; }
    bool input() const { return way == Way::input; }
    bool controller_sets() const { return input() || outside; }  ///< it is an output of the controller
    /// In a live run it takes what comes from outside: else the cell's own wiring feeds it.
    bool heard_live() const { return outside || (input() && !source); }
};

const char* word(Signal::Type type);  ///< "on/off", "whole number", "number"
const char* word(Signal::Way way);    ///< "output", "input"
/// "on", "off", "4", "12.5 mm".
std::string value_text(const Signal& signal, double value);

}  // namespace escarp::cell
