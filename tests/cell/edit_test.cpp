#include <catch2/catch.hpp>

#include <cell/document/edit.h>

using namespace escarp::cell;

namespace {

json tree() {
    return {{"name", "x"},
        {"devices",
            {{{"id", "a"}, {"n", 1}}, {{"id", "b"}, {"task", {{{"id", "s1"}}, {{"id", "s2"}}}}}, {{"id", "c"}}}},
        {"plain", {1, 2, 3}}};
}

std::string ids(const json& list) {
    std::string all;
    for (const json& e : list) all += e["id"].get<std::string>();
    return all;
}

}  // namespace

TEST_CASE("values are set and removed by path, through ids and indexes") {
    json t = tree();
    escarp::cell::apply(t, Operation::set("/devices/a/n", 5));
    escarp::cell::apply(t, Operation::set("/devices/b/fresh", "y"));
    escarp::cell::apply(t, Operation::set("/plain/1", 20));
    escarp::cell::apply(t, Operation::remove("/devices/b/task/s1"));
    escarp::cell::apply(t, Operation::remove("/name"));
    CHECK(*find(t, "/devices/a/n") == 5);
    CHECK(*find(t, "/devices/b/fresh") == "y");
    CHECK(t["plain"] == json::array({1, 20, 3}));
    CHECK(ids(t["devices"][1]["task"]) == "s2");
    CHECK(!find(t, "/name"));
    CHECK(!find(t, "/devices/zzz/n"));
}

TEST_CASE("elements are added first, last or after another, and put in order") {
    json t = tree();
    escarp::cell::apply(t, Operation::add("/devices", {{"id", "d"}}));
    escarp::cell::apply(t, Operation::add("/devices", {{"id", "e"}}, ""));
    escarp::cell::apply(t, Operation::add("/devices", {{"id", "f"}}, "a"));
    CHECK(ids(t["devices"]) == "eafbcd");
    escarp::cell::apply(t, Operation::order("/devices", {"d", "c", "b"}));
    CHECK(ids(t["devices"]) == "dcbeaf");
    CHECK(t["devices"][2]["task"].size() == 2);
}

TEST_CASE("what cannot be done is refused by name, and the tree stays as it was") {
    const json before = tree();
    for (const Operation& op : {Operation::set("/nowhere/x/y", 1), Operation::set("", 1),
             Operation::set("/name/deeper", 1), Operation::remove("/devices/zzz"), Operation::remove("/plain/9"),
             Operation::add("/name", 1), Operation::add("/devices", {{"id", "a"}}), Operation::order("/plain/x", {}),
             Operation::set("/devices/9999999999999/n", 1)}) {
        json t = before;
        CHECK(!try_apply(t, op));
        CHECK(t == before);
        CHECK_THROWS_AS(escarp::cell::apply(t, op), InputError);
    }
}

TEST_CASE("operations survive their JSON, and broken ones say what is missing") {
    for (const Operation& op : {Operation::set("/a", json{{"x", 1}}), Operation::remove("/a/b"),
             Operation::add("/l", 3, "x"), Operation::order("/l", {"a", "b"})}) {
        const Operation back = Operation::from_json(op.to_json(), "");
        CHECK(back.to_json() == op.to_json());
        CHECK(back.kind == op.kind);
    }
    for (const json& broken : {json(3), json::object(), json{{"at", 4}}, json{{"at", "/x"}}})
        CHECK_THROWS_AS(Operation::from_json(broken, "variants/0"), InputError);
}

TEST_CASE("equal trees differ in nothing; values, keys and lists without ids are set as a whole") {
    CHECK(difference(tree(), tree()).empty());
    json t = tree();
    t["plain"] = json::array({3, 2});
    t["devices"][0]["n"] = "one";
    t["devices"][2]["new"] = true;
    const Operations ops = difference(tree(), t);
    CHECK(ops.size() == 3);
    json swapped = tree();
    std::swap(swapped["devices"][0], swapped["devices"][2]);
    const Operations order = difference(tree(), swapped);
    REQUIRE(order.size() == 1);
    CHECK(order.front().kind == Operation::Kind::order);
}
