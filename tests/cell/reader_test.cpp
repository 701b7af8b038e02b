#include <catch2/catch.hpp>

#include <cell/model/reader.h>

using namespace escarp::cell;
using escarp::geometry::pi;
using escarp::geometry::Vector3;

namespace {

/// The problems that reading leaves behind.
template <typename Read>
std::vector<Problem> problems_of(const json& value, Read read) {
    std::vector<Problem> problems;
    const Reader r(value, "here", problems);
    read(r);
    return problems;
}

}  // namespace

TEST_CASE("the key's suffix says the unit, and numbers come out in SI") {
    std::vector<Problem> problems;
    const json value = {{"length_mm", 250}, {"turn_deg", 90}, {"time_s", 2.5}, {"mass_kg", 3}, {"speed_pct", 50},
        {"v_mm_s", 1000}, {"a_deg_s2", 180}, {"force_N", 7}, {"count", 4}};
    const Reader r(value, "", problems);
    CHECK(r.number("length_mm", {}) == Approx(0.25));
    CHECK(r.number("turn_deg", {}) == Approx(pi / 2));
    CHECK(r.number("time_s", {}) == Approx(2.5));
    CHECK(r.number("mass_kg", {}) == Approx(3));
    CHECK(r.number("speed_pct", {}) == Approx(0.5));
    CHECK(r.number("v_mm_s", {}) == Approx(1.0));
    CHECK(r.number("a_deg_s2", {}) == Approx(pi));
    CHECK(r.number("force_N", {}) == Approx(7));
    CHECK(r.number("missing_mm", {}, 40.0) == Approx(0.04));  // fallbacks are in the file's unit
    CHECK(r.whole("count", 0, 10) == 4);
    CHECK(problems.empty());
    CHECK(unit_sign("speed_mm_s") == "mm/s");
    CHECK(unit_sign("count").empty());
}

TEST_CASE("what does not fit is told with its path, what was found and what was expected") {
    const auto one = [](const json& value, auto read) {
        const auto all = problems_of(value, read);
        REQUIRE(all.size() == 1);
        return all.front().where + " | " + all.front().message;
    };
    CHECK(one({{"x_mm", "wide"}}, [](const Reader& r) {
        r.number("x_mm", {0, 10});
    }) == "here/x_mm | Found \"wide\"; a number from 0 to 10 mm is expected.");
    CHECK(one({{"x_mm", 11}}, [](const Reader& r) {
        CHECK(r.number("x_mm", {0, 10}) == Approx(0.01));
    }).find("Found 11; a number from 0 to 10 mm") != std::string::npos);
    CHECK(one(json::object(), [](const Reader& r) {
        r.number("x_mm", {0, 10});
    }).find("The key is missing") != std::string::npos);
    CHECK(one({{"n", 2.5}}, [](const Reader& r) { r.whole("n", 0, 9); }).find("whole number from 0 to 9") !=
          std::string::npos);
    CHECK(one({{"n", 99}}, [](const Reader& r) { r.whole("n", 0, 9); }).find("here/n | Found 99") == 0);
    CHECK(one({{"t", 5}}, [](const Reader& r) { r.text("t"); }).find("a text in quotes") != std::string::npos);
    CHECK(one({{"id", "a b"}}, [](const Reader& r) { r.id("id"); }).find("letters, digits") != std::string::npos);
    CHECK(one({{"f", "yes"}}, [](const Reader& r) { r.flag("f", false); }).find("true or false") != std::string::npos);
    CHECK(one({{"c", "blue"}}, [](const Reader& r) {
        CHECK(r.choice("c", {"red", "green"}) == "red");
    }).find("one of \"red\", \"green\"") != std::string::npos);
    CHECK(one({{"v_mm", {1, 2}}}, [](const Reader& r) { r.triple("v_mm", {}); }).find("list of 3 numbers") !=
          std::string::npos);
    CHECK(one({{"l", 3}}, [](const Reader& r) { CHECK(r.list("l").empty()); }).find("a list [ ... ] is expected") !=
          std::string::npos);
    CHECK(one({{"l", json::array({1, 2, 3})}}, [](const Reader& r) { r.list("l", 2); }).find("at most 2") !=
          std::string::npos);
    CHECK(one(json(4), [](const Reader&) {}).find("A group of keys") != std::string::npos);
}

TEST_CASE("elements of lists are addressed by their id, frames default to identity") {
    std::vector<Problem> problems;
    const json value = {
        {"list", {{{"id", "one"}}, {{"name", "no id"}}}}, {"g", {{"at_mm", {10, 20, 30}}, {"turn_deg", {180, 0, 0}}}}};
    const Reader r(value, "top", problems);
    const auto list = r.list("list");
    REQUIRE(list.size() == 2);
    CHECK(list[0].path() == "top/list/one");
    CHECK(list[1].path() == "top/list/1");
    const auto frame = r.group("g").frame();
    CHECK((frame.translation() - Vector3(0.01, 0.02, 0.03)).norm() < 1e-12);
    CHECK((frame.linear() * Vector3::UnitZ() + Vector3::UnitZ()).norm() < 1e-12);
    CHECK(r.group("none").frame().isApprox(escarp::geometry::Frame::Identity()));
    CHECK(problems.empty());
}
