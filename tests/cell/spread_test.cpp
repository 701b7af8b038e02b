#include <catch2/catch.hpp>
#include <cmath>

#include <cell/text/problem.h>
#include <cell/text/spread.h>

using namespace escarp::cell;

namespace {

std::vector<std::string> some() {
    return {"6.5", "uniform 5 to 8", "triangular 5, 6, 9", "normal 6.5, 0.4", "normal 1, 2", "log-normal 6.5, 2",
        "exponential 6.5", "erlang 3, 6.5", "weibull 1.5, 6.5", "measured 1, 2, 2, 7"};
}
std::string refused(const std::string& words) {
    try {
        Spread::parse(words);
    } catch (const InputError& e) {
        return e.problems().front().where + " " + e.problems().front().message;
    }
    return {};
}

}  // namespace

TEST_CASE("the mean and the variance of a distribution are those of its quantiles") {
    for (const std::string& words : some()) {
        const Spread s = Spread::parse(words);
        constexpr int n = 400000;
        double sum = 0, squares = 0;
        for (int i = 0; i < n; ++i) {
            const double v = s.at((i + 0.5) / n);
            sum += v, squares += v * v;
        }
        INFO(words);
        CHECK(sum / n == Approx(s.mean()).epsilon(2e-4));
        CHECK(squares / n - sum / n * sum / n == Approx(s.variance()).epsilon(5e-3).margin(1e-9));
    }
}

TEST_CASE("quantiles rise, never fall below zero, and are what tables say") {
    for (const std::string& words : some()) {
        const Spread s = Spread::parse(words);
        double before = 0;
        for (double u = 0.001; u < 1; u += 0.001) {
            CHECK(s.at(u) >= before);
            before = s.at(u);
        }
    }
    CHECK(normal_quantile(0.975) == Approx(1.959963984540054).epsilon(1e-12));
    CHECK(normal_quantile(0.001) == Approx(-3.090232306167814).epsilon(1e-12));
    CHECK(Spread::parse("exponential 2").at(0.5) == Approx(2 * std::log(2.0)).epsilon(1e-12));
    // Half the chi-square quantile with 6 degrees of freedom at 0.95 is that of three phases of mean 1.
    CHECK(Spread::parse("erlang 3, 3").at(0.95) == Approx(0.5 * 12.591587243743977).epsilon(1e-9));
    CHECK(Spread::parse("weibull 2, 3").at(1 - std::exp(-1.0)) == Approx(3).epsilon(1e-12));
}

TEST_CASE("words are read back as they are written, and a mistake is told with its place") {
    for (const std::string& words : some()) CHECK(Spread::parse(words).text() == words);
    for (const Spread::Words& w : Spread::words()) {
        const Spread s = Spread::parse(Spread::example(w.shape, 4.0));
        CHECK(s.shape() == w.shape);
        CHECK(s.mean() == Approx(4).epsilon(0.01));
    }
    CHECK(refused("").find("0 At letter 1: a number is expected") == 0);
    CHECK(refused("gaussian 3").find("one of uniform, triangular") != std::string::npos);
    CHECK(refused("uniform 5 8") == "10 At letter 11: \"to\" is expected.");
    CHECK(refused("uniform 5 to 4").find("13 At letter 14: the greatest value") == 0);
    CHECK(refused("normal 6.5").find("a comma and a further number") != std::string::npos);
    CHECK(refused("normal 6.5, x") == "12 At letter 13: a number is expected: the standard deviation.");
    CHECK(refused("erlang 2.5, 4").find("whole number of phases") != std::string::npos);
    CHECK(refused("exponential 0").find("above 0") != std::string::npos);
    CHECK(refused("weibull 2, 3 s").find("nothing further") != std::string::npos);
    CHECK(refused("measured 1, -2").find("not below 0") != std::string::npos);
    CHECK(refused("-1").find("not below 0") != std::string::npos);
}

TEST_CASE("one device's numbers do not change with what else is drawn, and differ from another purpose's") {
    Draws a(7, "belt", "intervals"), again(7, "belt", "intervals"), other(7, "belt", "types"),
        seed(8, "belt", "intervals");
    int same = 0;
    for (int i = 0; i < 100; ++i) {
        const double v = a.next();
        CHECK(v == again.next());
        CHECK(v > 0);
        CHECK(v < 1);
        same += (v == other.next()) + (v == seed.next());
    }
    CHECK(same == 0);
}
