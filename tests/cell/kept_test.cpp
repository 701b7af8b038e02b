#include <catch2/catch.hpp>
#include <thread>
#include <vector>

#include <cell/text/kept.h>

using escarp::cell::Kept;

TEST_CASE("what is kept stays within its bytes; what is asked for stays, what is not is forgotten") {
    constexpr std::size_t limit = 100'000, each = 900;
    Kept<int> kept(limit);
    for (int i = 0; i < 2000; ++i) {
        kept.keep(static_cast<std::uint64_t>(i), i, each);
        CHECK(kept.bytes() <= limit);
        REQUIRE(kept.find(0) == 0);  // asked for all the time
    }
    CHECK(kept.find(1999) == 1999);
    CHECK_FALSE(kept.find(1));
    int still = 0;
    for (std::uint64_t i = 0; i < 2000; ++i) still += kept.find(i).has_value();
    CHECK(still >= 90);
    CHECK(still <= 110);
}

TEST_CASE("what fits within the limit is found in every round, whatever was kept before") {
    Kept<int> kept(100'000);
    for (int i = 0; i < 500; ++i) kept.keep(static_cast<std::uint64_t>(1000 + i), i, 900);
    for (int round = 0; round < 4; ++round)
        for (std::uint64_t i = 0; i < 95; ++i) {
            if (round > 0) CHECK(kept.find(i) == static_cast<int>(i));
            else kept.keep(i, static_cast<int>(i), 900);
        }
    CHECK(Kept<int>(10).keep(1, 5, 100) == 5);  // too large to be kept
}

TEST_CASE("everybody finds the value that was kept first, whoever made it") {
    Kept<int> kept(1u << 20);
    CHECK(kept.keep(7, 1) == 1);
    CHECK(kept.keep(7, 2) == 1);
    CHECK(kept.find(7) == 1);
    std::vector<std::thread> threads;
    for (int t = 0; t < 4; ++t)
        threads.emplace_back([&kept, t] {
            for (std::uint64_t i = 100; i < 600; ++i) kept.keep(i, t);
        });
    for (std::thread& t : threads) t.join();
    for (std::uint64_t i = 100; i < 600; ++i) {
        const int first = kept.find(i).value();
        CHECK(kept.keep(i, 99) == first);
    }
}
