// Where signals lie in the tables of Modbus: against a table written by hand, and there and back.
#include <catch2/catch.hpp>
#include <cmath>
#include <random>

#include <link/address_table.h>

#include "support/cells.h"

using namespace escarp;
using cell::json;

namespace {

json with_signals() {
    json tree = tests::belt_cell(3, 150, 1500, 50);
    json& belt = tests::device(tree, "belt");
    belt["own_signals"] = {"a", "b", "go"};
    belt["own_numbers"] = {{{"id", "n"}, {"type", "whole number"}}, {{"id", "x"}, {"type", "number"}},
        {{"id", "target"}, {"type", "number"}}};
    belt["io"] = {{{"id", "a"}, {"address", "%IX0.3"}}, {{"id", "b"}, {"address", "%IX2.1"}},
        {{"id", "n"}, {"address", "%IW4"}}, {{"id", "x"}, {"address", "%ID8"}},
        {{"id", "go"}, {"address", "%QX1.7"}, {"outside", true}},
        {{"id", "target"}, {"address", "%QD4"}, {"outside", true}}};
    return tree;
}

}  // namespace

TEST_CASE("signals lie where the I/O list says: bits by byte and bit, words by pairs of bytes") {
    const auto cell = tests::read(with_signals());
    const link::AddressTable table = link::address_table(*cell);
    CHECK(table.problems.empty());
    // Written by hand: signal, as server, as client.
    const std::vector<std::array<std::string, 3>> expected{{"belt.a", "discrete input 3", "coil 3"},
        {"belt.b", "discrete input 17", "coil 17"}, {"belt.go", "coil 15", "discrete input 15"},
        {"belt.n", "input register 2", "holding register 2"},
        {"belt.x", "input register 4 and 5", "holding register 4 and 5"},
        {"belt.target", "holding register 2 and 3", "input register 2 and 3"}};
    for (const auto& [name, server, client] : expected) {
        const int signal = cell->signal(name);
        const auto row = std::find_if(
            table.rows.begin(), table.rows.end(), [&](const link::Address& a) { return a.signal == signal; });
        REQUIRE(row != table.rows.end());
        CHECK(link::place_words(*row, true) == server);
        CHECK(link::place_words(*row, false) == client);
    }
    std::vector<double> values(cell->signals.size());
    values[cell->signal("belt.a")] = 1;
    values[cell->signal("belt.n")] = -2;
    values[cell->signal("belt.x")] = 3.140625;  // 0x40490000
    link::Half half = link::empty_half(table, false);
    link::write_half(table, false, values, half);
    CHECK(half.bits[3] == 1);
    CHECK(half.bits[17] == 0);
    CHECK(half.registers[2] == 0xfffe);
    CHECK(half.registers[4] == 0x4049);
    CHECK(half.registers[5] == 0x0000);
    link::AddressTable low = table;
    low.high_word_first = false;
    link::write_half(low, false, values, half);
    CHECK(half.registers[4] == 0x0000);
    CHECK(half.registers[5] == 0x4049);
    // In lock-step the bytes of IEC 61131-3, the low one first.
    const auto image = link::write_image(table, false, values);
    CHECK(image.at(0) == 0x0008);
    CHECK(image.at(2) == 0xfffe);
    CHECK(image.at(4) == 0x0000);
    CHECK(image.at(5) == 0x4049);
}

TEST_CASE("values go into the tables and come out as they were, to what a register holds") {
    const auto cell = tests::read(with_signals());
    std::mt19937 random(5);
    for (const bool high : {true, false}) {
        const link::AddressTable table = link::address_table(*cell, high);
        for (int i = 0; i < 2000; ++i) {
            std::vector<double> values(cell->signals.size());
            for (std::size_t s = 0; s < values.size(); ++s) {
                const auto type = cell->signals[s].type;
                values[s] = type == cell::Signal::Type::on_off ? static_cast<double>(random() % 2)
                            : type == cell::Signal::Type::whole
                                ? static_cast<double>(static_cast<int>(random() % 65536) - 32768)
                                : static_cast<double>(std::ldexp(
                                      static_cast<float>(random()) - 2e9f, static_cast<int>(random() % 60) - 30));
            }
            for (const bool sets : {false, true}) {
                link::Half half = link::empty_half(table, sets);
                link::write_half(table, sets, values, half);
                for (const auto& [signal, value] : link::read_half(table, sets, half)) CHECK(value == values[signal]);
                for (const auto& [signal, value] :
                    link::read_image(table, sets, link::write_image(table, sets, values)))
                    CHECK(value == values[signal]);
            }
        }
    }
}

TEST_CASE("a clash, an address that is none, and what is no number are told") {
    json tree = with_signals();
    tests::device(tree, "belt")["io"][1]["address"] = "%IX5.1";  // within the bytes of %IW4
    const auto cell = tests::read(tree);
    const auto problems = link::address_table(*cell).problems;
    REQUIRE(problems.size() == 1);
    CHECK(problems[0] == "belt.n: %IW4 lies in belt.b.");
    for (const auto& [address, said] :
        {std::pair{
             "%QX0.0", "belt.b: \"%QX0.0\" is no address of an input that is on/off; one such as %IX0.0 is expected."},
            {"Slot 3", "belt.b: \"Slot 3\" is no address of an input that is on/off; one such as %IX0.0 is expected."},
            {"%IW0", "belt.b: \"%IW0\" is no address of an input that is on/off; one such as %IX0.0 is expected."}}) {
        tests::device(tree, "belt")["io"][1]["address"] = address;
        CHECK(link::address_table(*tests::read(tree)).problems == std::vector<std::string>{said});
    }
    tests::device(tree, "belt")["io"][1]["address"] = "%IX2.1";
    tests::device(tree, "belt")["io"][2]["address"] = "%IW5";
    CHECK(link::address_table(*tests::read(tree)).problems ==
          std::vector<std::string>{"belt.n: %IW5 begins within a register; an even number is expected."});
    const auto good = tests::read(with_signals());
    const link::AddressTable table = link::address_table(*good);
    link::Half half = link::empty_half(table, true);
    half.registers[2] = 0x7fc0;  // not a number
    long refused = 0;
    for (const auto& [signal, value] : link::read_half(table, true, half, &refused)) CHECK(std::isfinite(value));
    CHECK(refused == 1);
}
