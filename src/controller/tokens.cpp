#include "tokens.h"

#include <algorithm>
#include <cctype>
#include <charconv>
#include <cmath>

namespace escarp::controller {
namespace {

bool letter(char c) { return (c >= 'A' && c <= 'Z') || (c >= 'a' && c <= 'z') || c == '_'; }
bool digit(char c) { return c >= '0' && c <= '9'; }

class Scanner {
public:
    explicit Scanner(std::string_view text) : text_(text) {}

    std::vector<Token> all() {
        std::vector<Token> out;
        for (;;) {
            skip();
            out.push_back(next());
            if (out.back().kind == Token::Kind::end) return out;
        }
    }

private:
    char peek(std::size_t ahead = 0) const { return at_ + ahead < text_.size() ? text_[at_ + ahead] : '\0'; }
    char take() {
        const char c = text_[at_++];
        if (c == '\n') ++position_.line, position_.column = 1;
        else if ((static_cast<unsigned char>(c) & 0xC0) != 0x80) ++position_.column;
        return c;
    }
    /// White space, comments and pragmas.
    void skip() {
        while (at_ < text_.size()) {
            if (std::isspace(static_cast<unsigned char>(peek()))) take();
            else if (peek() == '/' && peek(1) == '/')
                while (at_ < text_.size() && peek() != '\n') take();
            else if (peek() == '(' && peek(1) == '*')
                until("*)", "The comment that begins here has no end; *) is expected.");
            else if (peek() == '{') until("}", "The pragma that begins here has no end; } is expected.");
            else return;
        }
    }
    void until(std::string_view ending, const char* problem) {
        const Position began = position_;
        take();
        if (ending.size() > 1) take();
        while (at_ < text_.size() && text_.substr(at_, ending.size()) != ending) take();
        if (at_ >= text_.size()) throw Mistake(began, problem);
        for (std::size_t i = 0; i < ending.size(); ++i) take();
    }
    Token next() {
        Token t;
        t.at = position_;
        const std::size_t from = at_;
        if (at_ >= text_.size()) return t;
        if (peek() == '%') address(t);
        else if (digit(peek())) number(t);
        else if (letter(peek())) name(t);
        else sign(t);
        t.written = std::string(text_.substr(from, at_ - from));
        return t;
    }
    void address(Token& t) {
        t.kind = Token::Kind::address;
        take();
        while (letter(peek()) || digit(peek()) || peek() == '.') t.text.push_back(take());
        t.text = capitals(t.text);
    }
    void name(Token& t) {
        t.kind = Token::Kind::name;
        while (letter(peek()) || digit(peek())) t.text.push_back(take());
        t.text = capitals(t.text);
        if (peek() != '#') return;
        if (t.text != "T" && t.text != "TIME") throw Mistake(t.at, "Of literals with # a time (T#5s) is understood.");
        take();
        std::string amount;
        while (letter(peek()) || digit(peek()) || peek() == '.' || (amount.empty() && peek() == '-'))
            amount.push_back(take());
        t.kind = Token::Kind::time;
        t.number = time_of(amount, t.at);
    }
    std::string digits(int base) {
        std::string out;
        const auto fits = [&](char c) {
            return base == 16 ? std::isxdigit(static_cast<unsigned char>(c)) != 0 : c >= '0' && c < '0' + base;
        };
        while (fits(peek()) || (peek() == '_' && !out.empty()))
            if (const char c = take(); c != '_') out.push_back(c);
        return out;
    }
    void number(Token& t) {
        std::string text = digits(10);
        int base = 10;
        if (peek() == '#') {
            base = text == "16" ? 16 : text == "8" ? 8 : text == "2" ? 2 : 0;
            if (base == 0) throw Mistake(t.at, "Found the base " + text + "; 2#, 8# or 16# is expected.");
            take();
            text = digits(base);
        } else if (peek() == '.' && digit(peek(1))) {
            text.push_back(take());
            text += digits(10);
            t.kind = Token::Kind::real;
        }
        if (base == 10 && (peek() == 'e' || peek() == 'E')) {
            t.kind = Token::Kind::real;
            text.push_back(take());
            if (peek() == '+' || peek() == '-') text.push_back(take());
            text += digits(10);
        }
        if (letter(peek())) throw Mistake(position_, "A letter follows a number here; a name begins with a letter.");
        const char* end = text.data() + text.size();
        if (t.kind == Token::Kind::real) {
            const auto [stopped, problem] = std::from_chars(text.data(), end, t.real);
            if (problem != std::errc() || stopped != end || std::abs(t.real) > 3.4e38)
                throw Mistake(t.at, "Found " + text + "; a number that a REAL holds is expected.");
            return;
        }
        t.kind = Token::Kind::whole;
        const auto [stopped, problem] = std::from_chars(text.data(), end, t.number, base);
        if (problem != std::errc() || stopped != end || t.number > 4'294'967'295)
            throw Mistake(t.at, "Found " + text + "; a whole number of 32 bits is expected.");
    }
    void sign(Token& t) {
        t.kind = Token::Kind::sign;
        for (const std::string_view two : {":=", "=>", "<>", "<=", ">=", "..", "**"})
            if (text_.substr(at_, 2) == two) {
                take(), take();
                t.text = two;
                return;
            }
        constexpr std::string_view known = "+-*/=<>&();:,.";
        if (known.find(peek()) == std::string_view::npos)
            throw Mistake(t.at, "This sign is not understood in structured text.");
        t.text = std::string(1, take());
    }

    std::string_view text_;
    std::size_t at_ = 0;
    Position position_;
};

}  // namespace

std::vector<Token> tokens_of(std::string_view text) { return Scanner(text).all(); }

std::string capitals(std::string_view name) {
    std::string out(name);
    for (char& c : out)
        if (c >= 'a' && c <= 'z') c = static_cast<char>(c - 'a' + 'A');
    return out;
}

std::int64_t time_of(const std::string& text, Position at) {
    struct Unit {
        const char* sign;
        double microseconds;
    };
    static constexpr Unit units[] = {{"D", 86'400e6}, {"H", 3'600e6}, {"M", 60e6}, {"S", 1e6}, {"MS", 1e3}, {"US", 1}};
    const std::string all = capitals(text);
    const auto wrong = [&] {
        return Mistake(at, "Found \"" + text + "\"; a time such as T#1m30s or T#250ms is expected.");
    };
    std::size_t i = !all.empty() && all[0] == '-' ? 1 : 0;
    if (i >= all.size()) throw wrong();
    double sum = 0;
    int last = -1;
    while (i < all.size()) {
        std::string number, sign;
        while (i < all.size() && (digit(all[i]) || all[i] == '.' || all[i] == '_')) {
            if (all[i] != '_') number.push_back(all[i]);
            ++i;
        }
        while (i < all.size() && letter(all[i]) && all[i] != '_') sign.push_back(all[i++]);
        double amount = 0;
        const auto [stopped, problem] = std::from_chars(number.data(), number.data() + number.size(), amount);
        int which = -1;
        for (int u = 0; u < 6; ++u)
            if (sign == units[u].sign) which = u;
        if (problem != std::errc() || stopped != number.data() + number.size() || which <= last) throw wrong();
        last = which;
        sum += amount * units[which].microseconds;
        while (i < all.size() && all[i] == '_') ++i;
    }
    if (sum > 9e15) throw wrong();
    return std::llround(all[0] == '-' ? -sum : sum);
}

std::string time_text(std::int64_t us) {
    std::string out = us < 0 ? "T#-" : "T#";
    us = std::abs(us);
    const std::size_t bare = out.size();
    const auto part = [&](std::int64_t size, const char* sign) {
        if (us >= size) out += std::to_string(us / size) + sign, us %= size;
    };
    part(3'600'000'000, "h"), part(60'000'000, "m"), part(1'000'000, "s"), part(1'000, "ms"), part(1, "us");
    return out.size() == bare ? out + "0s" : out;
}

}  // namespace escarp::controller
