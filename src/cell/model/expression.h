#pragma once
// Conditions and sums over signals in plain words: "b1.made and not arm2.at_tester and kit.count < 4".

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "signal.h"

namespace escarp::cell {

/// Where a text does not say what it should.
struct ExpressionError {
    std::size_t at = 0;    ///< characters before the place
    std::string expected;  ///< "a signal, a number, \"not\" or a bracket"
    std::string found;     ///< what stands there; empty: the text ends
    std::string message(const std::string& text) const;
};

/// What a name in an expression means: index into the cell's signals, or why not.
struct NamedSignal {
    int index = -1;
    Signal::Type type = Signal::Type::on_off;
    std::string why_not;
};

/// Words that are not names: and, or, not, on, off.
class Expression {
public:
    using Lookup = std::function<NamedSignal(const std::string& name)>;
    /// Throws ExpressionError. A condition is on or off; else a number comes out. A minus between two values has a
    /// space before it, since ids may hold one.
    static Expression condition(const std::string& text, const Lookup& lookup);
    static Expression number(const std::string& text, const Lookup& lookup);

    const std::string& text() const { return text_; }
    const std::vector<int>& signals() const { return signals_; }  ///< that it looks at, each once
    /// `value` tells a signal's present value; on is 1, off is 0.
    double value(const std::function<double(int signal)>& value) const;
    bool holds(const std::function<double(int signal)>& value) const { return this->value(value) != 0; }
    /// The same in structured text (IEC 61131-3); `name` and `on_off` tell of a signal what it is called there, and
    /// whether it is a BOOL.
    std::string structured_text(
        const std::function<std::string(int signal)>& name, const std::function<bool(int signal)>& on_off) const;
    /// The same with every name replaced: for devices and signals that are renamed, copied or taken away.
    static std::string renamed(const std::string& text, const std::function<std::string(const std::string& name)>& to);

private:
    friend class ExpressionParser;
    enum class Op { value, signal, negate, plus, minus, less, at_most, equal, both, either, opposite };
    struct Node {
        Op op;
        double value = 0;
        int signal = -1;
        int left = -1, right = -1;
    };
    double value_of(int node, const std::function<double(int)>& value) const;
    bool is_condition(int node, const std::function<bool(int)>& on_off) const;

    std::string text_;
    std::vector<Node> nodes_;
    int root_ = -1;
    std::vector<int> signals_;
};

}  // namespace escarp::cell
