#include <catch2/catch.hpp>

#include <cell/model/expression.h>

#include "support/random.h"

using namespace escarp::cell;

namespace {

/// a, b, c are on or off; n, m and my-number are numbers.
NamedSignal lookup(const std::string& name) {
    static const std::vector<std::pair<std::string, Signal::Type>> all{{"x.a", Signal::Type::on_off},
        {"x.b", Signal::Type::on_off}, {"y.c", Signal::Type::on_off}, {"n", Signal::Type::whole},
        {"x.m", Signal::Type::number}, {"x.my-number", Signal::Type::number}};
    for (std::size_t i = 0; i < all.size(); ++i)
        if (all[i].first == name) return {static_cast<int>(i), all[i].second, ""};
    return {-1, Signal::Type::on_off, "One of the signals"};
}

double value(const std::string& text, std::vector<double> values, bool condition = true) {
    values.resize(6);
    const auto of = [&](int i) { return values[i]; };
    return condition ? Expression::condition(text, lookup).value(of) : Expression::number(text, lookup).value(of);
}

ExpressionError mistake(const std::string& text, bool condition = true) {
    try {
        condition ? Expression::condition(text, lookup) : Expression::number(text, lookup);
    } catch (const ExpressionError& e) {
        return e;
    }
    FAIL("\"" + text + "\" was taken");
    return {};
}

/// A random condition, in words and as a function.
struct Random {
    explicit Random(unsigned seed) : draw(seed) {}
    escarp::tests::Draw draw;
    using Function = std::function<double(const std::vector<double>&)>;
    struct Made {
        std::string text;
        Function f;
    };
    Made condition(int depth) {
        const int what = depth <= 0 ? 0 : draw.whole(0, 4);
        if (what == 1) {
            const Made one = condition(depth - 1);
            const Function f = one.f;
            return {"not (" + one.text + ")", [f](const auto& v) { return f(v) == 0; }};
        }
        if (what == 2 || what == 3) {
            const Made one = condition(depth - 1), two = condition(depth - 1);
            const Function f = one.f, g = two.f;
            const bool both = what == 2;
            return {"(" + one.text + (both ? ") and (" : ") or (") + two.text + ")",
                [=](const auto& v) { return both ? f(v) != 0 && g(v) != 0 : f(v) != 0 || g(v) != 0; }};
        }
        if (what == 4) {
            const Made one = sum(depth - 1), two = sum(depth - 1);
            const Function f = one.f, g = two.f;
            switch (draw.whole(0, 4)) {
                case 0: return {one.text + " < " + two.text, [=](const auto& v) { return f(v) < g(v); }};
                case 1: return {one.text + "<=" + two.text, [=](const auto& v) { return f(v) <= g(v); }};
                case 2: return {one.text + " > " + two.text, [=](const auto& v) { return f(v) > g(v); }};
                case 3: return {one.text + " >=" + two.text, [=](const auto& v) { return f(v) >= g(v); }};
                default: return {one.text + " = " + two.text, [=](const auto& v) { return f(v) == g(v); }};
            }
        }
        static const char* names[] = {"x.a", "x.b", "y.c"};
        const int i = draw.whole(0, 2);
        return {names[i], [i](const auto& v) { return v[i]; }};
    }
    Made sum(int depth) {
        if (depth > 0 && draw.whole(0, 1) == 0) {
            const Made one = sum(depth - 1), two = sum(depth - 1);
            const Function f = one.f, g = two.f;
            if (draw.whole(0, 1) == 0)
                return {"(" + one.text + " + " + two.text + ")", [=](const auto& v) { return f(v) + g(v); }};
            return {"(" + one.text + " - (" + two.text + "))", [=](const auto& v) { return f(v) - g(v); }};
        }
        const int number = draw.whole(0, 3);
        if (draw.whole(0, 1) == 0) return {std::to_string(number), [number](const auto&) { return number; }};
        static const char* names[] = {"n", "x.m", "x.my-number"};
        const int i = draw.whole(0, 2);
        return {names[i], [i](const auto& v) { return v[3 + i]; }};
    }
};

}  // namespace

TEST_CASE("conditions in words say what they say") {
    CHECK(value("x.a", {1}) == 1);
    CHECK(value("not x.a", {1}) == 0);
    CHECK(value("x.a and not x.b or y.c", {1, 1, 0}) == 0);
    CHECK(value("x.a or x.b and y.c", {1, 0, 0}) == 1);  // "and" binds closer
    CHECK(value("(x.a or x.b) and y.c", {1, 0, 0}) == 0);
    CHECK(value("n < 4", {0, 0, 0, 3}) == 1);
    CHECK(value("n >= 4", {0, 0, 0, 3}) == 0);
    CHECK(value("n + 1 = 4", {0, 0, 0, 3}) == 1);
    CHECK(value("x.a = off", {0}) == 1);
    CHECK(value("not x.a = on", {0}) == 1);
    CHECK(value("x.m - 0.5 - 1", {0, 0, 0, 0, 4}, false) == 2.5);
    CHECK(value("-n + 2", {0, 0, 0, 3}, false) == -1);
    CHECK(value("x.my-number - 1", {0, 0, 0, 0, 0, 7}, false) == 6);  // an id may hold a minus
    CHECK(Expression::condition("x.b and x.a and not x.b", lookup).signals() == std::vector<int>{0, 1});
}

TEST_CASE("random conditions agree with the functions that they were made from") {
    for (unsigned seed = 0; seed < 400; ++seed) {
        Random random(seed);
        const auto [text, function] = random.condition(5);
        INFO(text);
        const Expression e = Expression::condition(text, lookup);
        for (int k = 0; k < 20; ++k) {
            std::vector<double> values;
            for (int i = 0; i < 6; ++i) values.push_back(random.draw.whole(0, i < 3 ? 1 : 3));
            REQUIRE(e.value([&](int i) { return values[i]; }) == function(values));
        }
        // Renaming to itself changes nothing; to something longer only the names.
        REQUIRE(Expression::renamed(text, [](const std::string& n) { return n; }) == text);
    }
}

TEST_CASE("a mistake is told with its place and what was expected there") {
    CHECK(mistake("").at == 0);
    CHECK(mistake("x.a and").message("x.a and").find("is expected after \"x.a and\", where it ends") !=
          std::string::npos);
    CHECK(mistake("x.a and or x.b").at == 8);
    CHECK(mistake("x.a x.b").found == "x.b");
    CHECK(mistake("(x.a or x.b").expected == "\")\"");
    CHECK(mistake("n").expected.find("on or off") != std::string::npos);
    CHECK(mistake("n and x.a").at == 0);
    CHECK(mistake("x.a and n + 1").at == 8);
    CHECK(mistake("x.a < 3").found == "x.a");
    CHECK(mistake("x.a + 1", false).expected == "A number");
    CHECK(mistake("x.a", false).expected == "A number");
    CHECK(mistake("n < < 3").at == 4);
    CHECK(mistake("n < 1.2.3").found == "1.2.3");
    CHECK(mistake("z.q").expected == "One of the signals");
    CHECK(mistake("n = x.a").found == "x.a");
    CHECK(mistake("not").found.empty());
    CHECK(mistake("x.a & x.b").found == "&");
    CHECK(mistake(std::string(5000, '(') + "x.a").expected.find("100 brackets") != std::string::npos);
    CHECK(mistake("x.a\xff").found == "\xff");
}

TEST_CASE("names are replaced, and nothing else") {
    const auto to = [](const std::string& n) { return n == "x.a" ? std::string("new-one.a") : n; };
    CHECK(Expression::renamed("x.a and not (x.ab or x.a) < 3 - x.a", to) ==
          "new-one.a and not (x.ab or new-one.a) < 3 - new-one.a");
    CHECK(Expression::renamed("  x.a", to) == "  new-one.a");
}
