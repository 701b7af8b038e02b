// What a library takes for granted is told as an exception where it does not hold, instead of ending the program.

#include <catch2/catch.hpp>

#include <cell/text/json.h>
#include <geometry/frame.h>

using namespace escarp;

TEST_CASE("a key that is not there and an index beyond the end are exceptions with their place") {
    const cell::json value = {{"a", 1}};
    CHECK_THROWS_WITH(value["b"], Catch::Contains("json.hpp, line"));
    CHECK(value["a"] == 1);
    const Eigen::VectorXd three = Eigen::VectorXd::Ones(3);
    volatile int beyond = 3;
    CHECK_THROWS_AS(three[beyond], std::logic_error);
    CHECK_THROWS_AS(three + Eigen::VectorXd::Ones(beyond + 1), std::logic_error);
    CHECK(three[beyond - 1] == 1);
}
