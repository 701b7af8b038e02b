#include "expression.h"

#include <algorithm>
#include <charconv>
#include <cmath>

#include <cell/text/numbers.h>

namespace escarp::cell {

const char* word(Signal::Type type) {
    switch (type) {
        case Signal::Type::on_off: return "on/off";
        case Signal::Type::whole: return "whole number";
        case Signal::Type::number: return "number";
    }
    return "";
}

const char* word(Signal::Way way) { return way == Signal::Way::output ? "output" : "input"; }

std::string value_text(const Signal& signal, double value) {
    if (signal.on_off()) return value != 0 ? "on" : "off";
    return shortest(value) + (signal.unit.empty() ? "" : " " + signal.unit);
}

std::string ExpressionError::message(const std::string& text) const {
    constexpr std::size_t enough = 60;
    const std::string before =
        at == 0        ? "at the beginning"
        : at <= enough ? "after \"" + text.substr(0, at) + "\""
                       : "after \"..." + text.substr(at - enough, enough) + "\" (letter " + std::to_string(at) + ")";
    return expected + " is expected " + before +
           (found.empty() ? ", where it ends." : ", instead of \"" + found + "\".");
}

namespace wording {

struct Token {
    enum class Kind { end, name, number, sign } kind = Kind::end;
    std::size_t at = 0;
    std::string text;
};

inline bool starts_name(char c) { return std::isalpha(static_cast<unsigned char>(c)) || c == '_'; }
inline bool goes_on(char c) { return std::isalnum(static_cast<unsigned char>(c)) || c == '_' || c == '-' || c == '.'; }

inline std::vector<Token> tokens_of(const std::string& text) {
    std::vector<Token> all;
    std::size_t at = 0;
    while (at < text.size()) {
        if (std::isspace(static_cast<unsigned char>(text[at]))) {
            ++at;
            continue;
        }
        std::size_t end = at + 1;
        Token::Kind kind = Token::Kind::sign;
        const bool digit = std::isdigit(static_cast<unsigned char>(text[at]));
        // An id may begin with a digit: what begins like a number and goes on like a name is a name.
        while (end < text.size() && goes_on(text[end]) && (digit || starts_name(text[at]))) ++end;
        const std::string word = text.substr(at, end - at);
        if (digit && word.find_first_not_of("0123456789.") == std::string::npos) kind = Token::Kind::number;
        else if (digit || starts_name(text[at])) kind = Token::Kind::name;
        else if ((text[at] == '<' || text[at] == '>') && end < text.size() && text[end] == '=') ++end;
        all.push_back({kind, at, text.substr(at, end - at)});
        at = end;
    }
    all.push_back({Token::Kind::end, text.find_last_not_of(" \t\n") + 1, ""});
    return all;
}

inline bool is_word(const std::string& text) {
    return text == "and" || text == "or" || text == "not" || text == "on" || text == "off";
}

}  // namespace wording

using wording::is_word;
using wording::Token;

/// Descends: either, both, comparison, sum, one value.
class ExpressionParser {
public:
    ExpressionParser(const std::string& text, const Expression::Lookup& lookup)
        : tokens_(wording::tokens_of(text)), lookup_(lookup) {
        out_.text_ = text;
    }

    Expression parse(bool condition) {
        const Value all = either();
        if (now().kind != Token::Kind::end) fail(all.on_off ? "\"and\", \"or\" or the end" : "the end");
        demand(all, condition, 0);
        out_.root_ = all.node;
        std::sort(out_.signals_.begin(), out_.signals_.end());
        out_.signals_.erase(std::unique(out_.signals_.begin(), out_.signals_.end()), out_.signals_.end());
        return std::move(out_);
    }

private:
    using Op = Expression::Op;
    struct Value {
        int node;
        bool on_off;
    };
    static constexpr int deepest = 100;
    static constexpr std::size_t most_parts = 1000;

    const Token& now() const { return tokens_[next_]; }
    bool takes(const char* text) {
        if (now().kind == Token::Kind::end || now().text != text) return false;
        ++next_;
        return true;
    }
    [[noreturn]] void fail(const std::string& expected) const { throw ExpressionError{now().at, expected, now().text}; }
    void demand(const Value& v, bool on_off, std::size_t first) const {
        if (v.on_off == on_off) return;
        const std::size_t at = tokens_[first].at, end = now().at;
        throw ExpressionError{at,
            on_off ? "Something that is on or off (a comparison such as \"< 4\" makes a number into that)" : "A number",
            out_.text_.substr(at, out_.text_.find_last_not_of(" \t\n", end - 1) + 1 - at)};
    }
    Value add(Op op, bool on_off, int left = -1, int right = -1, double value = 0, int signal = -1) {
        // What is made of it is as deep as it is long, where it goes on and on.
        if (out_.nodes_.size() >= most_parts) fail("The end (no more than 1000 signals, numbers and signs)");
        out_.nodes_.push_back({op, value, signal, left, right});
        return {static_cast<int>(out_.nodes_.size()) - 1, on_off};
    }

    Value either() {
        const std::size_t first = next_;
        Value left = both();
        while (takes("or")) {
            demand(left, true, first);
            const std::size_t second = next_;
            const Value right = both();
            demand(right, true, second);
            left = add(Op::either, true, left.node, right.node);
        }
        return left;
    }
    Value both() {
        const std::size_t first = next_;
        Value left = opposite();
        while (takes("and")) {
            demand(left, true, first);
            const std::size_t second = next_;
            const Value right = opposite();
            demand(right, true, second);
            left = add(Op::both, true, left.node, right.node);
        }
        return left;
    }
    Value opposite() {
        if (!takes("not")) return comparison();
        deeper();
        const std::size_t first = next_;
        const Value of = opposite();
        demand(of, true, first);
        --depth_;
        return add(Op::opposite, true, of.node);
    }
    Value comparison() {
        const std::size_t first = next_;
        const Value left = sum();
        const std::string sign = now().text;
        if (now().kind != Token::Kind::sign || (sign != "=" && sign.front() != '<' && sign.front() != '>')) return left;
        if (sign != "=") demand(left, false, first);
        ++next_;
        const std::size_t second = next_;
        const Value right = sum();
        demand(right, left.on_off, second);
        if (sign == "<") return add(Op::less, true, left.node, right.node);
        if (sign == "<=") return add(Op::at_most, true, left.node, right.node);
        if (sign == ">") return add(Op::less, true, right.node, left.node);
        if (sign == ">=") return add(Op::at_most, true, right.node, left.node);
        return add(Op::equal, true, left.node, right.node);
    }
    Value sum() {
        const std::size_t first = next_;
        Value left = one();
        while (now().kind == Token::Kind::sign && (now().text == "+" || now().text == "-")) {
            demand(left, false, first);
            const Op op = now().text == "+" ? Op::plus : Op::minus;
            ++next_;
            const std::size_t second = next_;
            const Value right = one();
            demand(right, false, second);
            left = add(op, false, left.node, right.node);
        }
        return left;
    }
    Value one() {
        const Token token = now();
        if (takes("(")) {
            deeper();
            const Value inner = either();
            if (!takes(")")) fail("\")\"");
            --depth_;
            return inner;
        }
        if (takes("-")) {
            deeper();
            const std::size_t first = next_;
            const Value of = one();
            demand(of, false, first);
            --depth_;
            return add(Op::negate, false, of.node);
        }
        if (token.kind == Token::Kind::number) return number(token);
        if (takes("on")) return add(Op::value, true, -1, -1, 1);
        if (takes("off")) return add(Op::value, true, -1, -1, 0);
        if (token.kind != Token::Kind::name || is_word(token.text)) fail("A signal, a number, \"not\" or a bracket");
        const NamedSignal found = lookup_(token.text);
        if (found.index < 0) throw ExpressionError{token.at, found.why_not, token.text};
        ++next_;
        out_.signals_.push_back(found.index);
        return add(Op::signal, found.type == Signal::Type::on_off, -1, -1, 0, found.index);
    }
    Value number(const Token& token) {
        double value = 0;
        const char* end = token.text.data() + token.text.size();
        const auto read = std::from_chars(token.text.data(), end, value);
        if (read.ec != std::errc() || read.ptr != end || value > 1e12) fail("A number such as 4 or 0.5, up to 1e12,");
        ++next_;
        return add(Op::value, false, -1, -1, value);
    }
    void deeper() {
        if (++depth_ > deepest) fail("No more than 100 brackets in each other");
    }

    std::vector<Token> tokens_;
    const Expression::Lookup& lookup_;
    std::size_t next_ = 0;
    int depth_ = 0;
    Expression out_;
};

Expression Expression::condition(const std::string& text, const Lookup& lookup) {
    return ExpressionParser(text, lookup).parse(true);
}
Expression Expression::number(const std::string& text, const Lookup& lookup) {
    return ExpressionParser(text, lookup).parse(false);
}

double Expression::value(const std::function<double(int)>& value) const { return value_of(root_, value); }

double Expression::value_of(int node, const std::function<double(int)>& value) const {
    const Node& n = nodes_[node];
    const auto left = [&] { return value_of(n.left, value); };
    const auto right = [&] { return value_of(n.right, value); };
    switch (n.op) {
        case Op::value: return n.value;
        case Op::signal: return value(n.signal);
        case Op::negate: return -left();
        case Op::plus: return left() + right();
        case Op::minus: return left() - right();
        case Op::less: return left() < right();
        case Op::at_most: return left() <= right();
        case Op::equal: return left() == right();
        case Op::both: return left() != 0 && right() != 0;
        case Op::either: return left() != 0 || right() != 0;
        case Op::opposite: return left() == 0;
    }
    return 0;
}

bool Expression::is_condition(int node, const std::function<bool(int)>& on_off) const {
    const Node& n = nodes_[node];
    if (n.op == Op::signal) return on_off(n.signal);
    return n.op != Op::value && n.op != Op::negate && n.op != Op::plus && n.op != Op::minus;
}

std::string Expression::structured_text(
    const std::function<std::string(int)>& name, const std::function<bool(int)>& on_off) const {
    const std::function<std::string(int, bool)> text = [&](int node, bool as_condition) -> std::string {
        const Node& n = nodes_[node];
        const auto two = [&](const char* sign, bool conditions) {
            return "(" + text(n.left, conditions) + " " + sign + " " + text(n.right, conditions) + ")";
        };
        switch (n.op) {
            case Op::value: return as_condition ? (n.value != 0 ? "TRUE" : "FALSE") : shortest(n.value);
            case Op::signal: return name(n.signal);
            case Op::negate: return "(-" + text(n.left, false) + ")";
            case Op::plus: return two("+", false);
            case Op::minus: return two("-", false);
            case Op::less: return two("<", false);
            case Op::at_most: return two("<=", false);
            case Op::equal: return two("=", is_condition(n.left, on_off) || is_condition(n.right, on_off));
            case Op::both: return two("AND", true);
            case Op::either: return two("OR", true);
            case Op::opposite: return "(NOT " + text(n.left, true) + ")";
        }
        return "";
    };
    return text(root_, is_condition(root_, on_off));
}

std::string Expression::renamed(const std::string& text, const std::function<std::string(const std::string&)>& to) {
    std::string out;
    std::size_t done = 0;
    for (const Token& token : wording::tokens_of(text)) {
        if (token.kind != Token::Kind::name || is_word(token.text)) continue;
        out += text.substr(done, token.at - done) + to(token.text);
        done = token.at + token.text.size();
    }
    return out + text.substr(done);
}

}  // namespace escarp::cell
