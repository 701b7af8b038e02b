#include <catch2/catch.hpp>

#include <cmath>
#include <limits>
#include <numeric>
#include <random>

#include <study/sensitivity.h>
#include <study/statistics.h>

using namespace escarp::study;

TEST_CASE("quantiles of Student's t are the published ones") {
    // NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.6.7.2.
    CHECK(t_quantile(0.975, 1) == Approx(12.706).margin(5e-4));
    CHECK(t_quantile(0.975, 9) == Approx(2.262).margin(5e-4));
    CHECK(t_quantile(0.95, 30) == Approx(1.697).margin(5e-4));
    CHECK(t_quantile(0.995, 100) == Approx(2.626).margin(5e-4));
    CHECK(t_quantile(0.3, 7) == Approx(-t_quantile(0.7, 7)));
}

TEST_CASE("means, intervals and quantiles of a few values by hand") {
    const Estimate e = estimate({2, 4, 4, 4, 5, 5, 7, 9});
    CHECK(e.mean == 5);
    CHECK(e.deviation == Approx(std::sqrt(32.0 / 7)));
    CHECK(*e.half_width() == Approx(2.364624 * std::sqrt(32.0 / 7 / 8)).epsilon(1e-6));
    CHECK_FALSE(estimate({3}).half_width());
    CHECK(*estimate({3, 3, 3}).half_width() == 0);
    CHECK(quantile({4, 1, 3, 2}, 0.5) == 2.5);
    CHECK(quantile({4, 1, 3, 2}, 0) == 1);
    CHECK(quantile({4, 1, 3, 2}, 1) == 4);
    CHECK(quantile({10, 20}, 0.1) == Approx(11));
}

TEST_CASE("95 % of the intervals hold the true mean: 2,000 of normal values, and of skewed ones in larger samples") {
    std::mt19937_64 bits(5);
    std::normal_distribution<double> normal(3, 2);
    std::exponential_distribution<double> skewed(0.5);
    int normals = 0, skews = 0;
    for (int i = 0; i < 2000; ++i) {
        std::vector<double> a, b;
        for (int j = 0; j < 5; ++j) a.push_back(normal(bits));
        for (int j = 0; j < 100; ++j) b.push_back(skewed(bits));
        const Estimate one = estimate(a), two = estimate(b);
        normals += one.low() <= 3 && 3 <= one.high();
        skews += two.low() <= 2 && 2 <= two.high();
    }
    CHECK(normals >= 1860);
    CHECK(normals <= 1940);
    CHECK(skews >= 1860);
    CHECK(skews <= 1940);
}

TEST_CASE("a warm-up is cut off where it ends, and nothing to speak of where there is none") {
    std::mt19937_64 bits(7);
    std::normal_distribution<double> noise(0, 0.3);
    double cut_with = 0, cut_without = 0;
    for (int i = 0; i < 50; ++i) {
        std::vector<double> rises, level;
        for (int j = 0; j < 600; ++j) {
            rises.push_back(10 - 8 * std::exp(-j / 25.0) + noise(bits));
            level.push_back(10 + noise(bits));
        }
        cut_with += static_cast<double>(*warm_up(rises)) / 50;
        cut_without += static_cast<double>(*warm_up(level)) / 50;
    }
    CHECK(cut_with > 50);  // what is left of the rise then is about the noise of five values
    CHECK(cut_with < 220);
    CHECK(cut_without < 80);
    CHECK_FALSE(warm_up(std::vector<double>(49, 1.0)));
    CHECK(*warm_up(std::vector<double>(50, 1.0)) == 0);
    std::vector<double> late(200, 1.0);
    std::fill(late.begin(), late.begin() + 180, 5.0);
    CHECK(*warm_up(late) <= 100);  // never more than half
}

TEST_CASE("several questions at once: Holm's steps, and fewer than one family in twenty with a mistake") {
    CHECK(answered({0.01, 0.04, 0.03, 0.005}) == std::vector<bool>{true, false, false, true});
    CHECK(answered({0.04}) == std::vector<bool>{true});
    CHECK(answered({}).empty());
    std::mt19937_64 bits(11);
    std::uniform_real_distribution<double> chance(0, 1);
    int mistakes = 0;
    for (int i = 0; i < 4000; ++i) {
        const auto said = answered({chance(bits), chance(bits), chance(bits), chance(bits), chance(bits)});
        mistakes += std::count(said.begin(), said.end(), true) > 0;
    }
    CHECK(mistakes < 240);
    CHECK(mistakes > 140);  // and not by being deaf
}

TEST_CASE("so many pairs as are needed tell a difference, and one fewer does not") {
    for (const double mean : {0.05, 0.2, 1.0, -3.0}) {
        const Estimate d{10, mean, 1.5};
        const std::size_t n = *pairs_needed(d);
        const auto tells = [&](std::size_t count) {
            Estimate e = d;
            e.count = count;
            return std::abs(e.mean) > *e.half_width();
        };
        CHECK(tells(n));
        CHECK((n == 2 || !tells(n - 1)));
    }
    CHECK_FALSE(pairs_needed({1, 0.5, 0}));
    CHECK_FALSE(pairs_needed({20, 0, 1}));
}

TEST_CASE("tries go where the best may still be found: shares as published, sums whole") {
    // Chen et al. 2000: N_i / N_j = (s_i / d_i)^2 / (s_j / d_j)^2, N_b = s_b sqrt(sum N_i^2 / s_i^2).
    const std::vector<Estimate> so_far{{2, 1.0, 1.0}, {2, 2.0, 2.0}, {2, 4.0, 2.0}, {2, 3.0, 1.0}};
    const auto more = next_tries(so_far, 100'000);
    CHECK(std::accumulate(more.begin(), more.end(), std::size_t{0}) == 100'000);
    const auto n = [&](std::size_t i) { return static_cast<double>(more[i] + so_far[i].count); };
    CHECK(n(1) / n(2) == Approx(9).epsilon(1e-3));
    CHECK(n(1) / n(3) == Approx(16).epsilon(2e-3));
    CHECK(n(0) == Approx(std::sqrt(n(1) * n(1) / 4 + n(2) * n(2) / 4 + n(3) * n(3))).epsilon(1e-3));
    // What has more than its share gets nothing, and the rest share all.
    const auto late = next_tries({{5, 1, 1}, {500, 2, 1}, {5, 1.5, 1}}, 30);
    CHECK(late[1] == 0);
    CHECK(late[0] + late[2] == 30);
    const auto certain = next_tries({{2, 1, 0}, {2, 2, 0}}, 10);
    CHECK(certain[0] + certain[1] == 10);
}

TEST_CASE("even points: the first 2^k fill every 2^k-th of each number's range once") {
    const auto all = even_points(6, 256);
    CHECK(all[0] == std::vector<double>(6, 0.5));
    for (std::size_t n = 0; n < 6; ++n) {
        std::vector<int> in(255, 0);
        for (std::size_t i = 0; i < 255; ++i) {
            REQUIRE(all[i][n] >= 0);
            REQUIRE(all[i][n] < 1);
            const int at = static_cast<int>(all[i][n] * 256);  // 1 to 255: the very first of the sequence is left out
            REQUIRE(at >= 1);
            ++in[static_cast<std::size_t>(at) - 1];
        }
        CHECK(std::all_of(in.begin(), in.end(), [](int c) { return c == 1; }));
    }
}

TEST_CASE("shares of the variance of Ishigami's function are the published ones") {
    // Saltelli et al. 2008, a = 7, b = 0.1: S1 0.3139, S2 0.4424, S3 0; totals 0.5576, 0.4424, 0.2437.
    constexpr double pi = 3.14159265358979323846;
    const auto plan = shares_plan(3, 4096);
    REQUIRE(plan.size() == 5 * 4096);
    std::vector<double> values;
    for (const auto& u : plan) {
        const double a = pi * (2 * u[0] - 1), b = pi * (2 * u[1] - 1), c = pi * (2 * u[2] - 1);
        values.push_back(std::sin(a) + 7 * std::sin(b) * std::sin(b) + 0.1 * std::pow(c, 4) * std::sin(a));
    }
    const auto found = shares(3, values);
    CHECK(found[0].alone == Approx(0.3139).margin(0.01));
    CHECK(found[1].alone == Approx(0.4424).margin(0.01));
    CHECK(found[2].alone == Approx(0).margin(0.01));
    CHECK(found[0].in_all == Approx(0.5576).margin(0.01));
    CHECK(found[1].in_all == Approx(0.4424).margin(0.01));
    CHECK(found[2].in_all == Approx(0.2437).margin(0.01));
    values[17] = std::numeric_limits<double>::quiet_NaN();  // one that is no cell is left out, not believed
    CHECK(shares(3, values)[0].in_all == Approx(0.5576).margin(0.01));
}

TEST_CASE("screening: of a sum of straight lines each slope exactly; bends and company show as unevenness") {
    const auto plan = screening_plan(4, 20);
    REQUIRE(plan.size() == 100);
    std::vector<double> values;
    for (std::size_t i = 0; i < plan.size(); ++i) {
        const auto& u = plan[i];
        values.push_back(3 * u[0] - 2 * u[1] + u[2] * u[2] + 0 * u[3]);
        for (const double v : u) CHECK(std::abs(3 * v - std::round(3 * v)) < 1e-12);  // four levels
        if (i % 5 == 0) continue;
        int changed = 0;
        for (std::size_t n = 0; n < 4; ++n) changed += u[n] != plan[i - 1][n];
        CHECK(changed == 1);
    }
    const auto found = screening(plan, values);
    CHECK(found[0].effect == Approx(3));
    CHECK(found[1].effect == Approx(-2));
    CHECK(found[1].strength == Approx(2));
    CHECK(found[0].unevenness == Approx(0).margin(1e-9));
    CHECK(found[2].unevenness > 0.1);
    CHECK(found[3].strength == Approx(0).margin(1e-12));
    // Morris 1991 on Ishigami's function: the third number matters, but only in company, so its mean is about 0.
    std::vector<double> ishigami;
    const auto wide = screening_plan(3, 200);
    for (const auto& u : wide) {
        constexpr double pi = 3.14159265358979323846;
        const double a = pi * (2 * u[0] - 1), b = pi * (2 * u[1] - 1), c = pi * (2 * u[2] - 1);
        ishigami.push_back(std::sin(a) + 7 * std::sin(b) * std::sin(b) + 0.1 * std::pow(c, 4) * std::sin(a));
    }
    const auto i = screening(wide, ishigami);
    CHECK(std::abs(i[2].effect) < 0.25 * i[2].strength);
    CHECK(i[2].strength > 1);
}
