// The arbiter's structured text, read back and carried out by a small interpreter, against the one that is simulated.

#include <catch2/catch.hpp>

#include <map>
#include <set>
#include <sstream>

#include <exchange/arbiter_text.h>
#include <simulation/kernel.h>

#include "support/cells.h"
#include "support/random.h"

using namespace escarp;
using cell::json;

namespace {

/// As much of IEC 61131-3 as a function block of conditions and assignments of BOOL needs, and of INT to be compared.
class Block {
public:
    explicit Block(const std::string& text) {
        std::string word;
        for (std::size_t i = 0; i < text.size();) {
            if (text.compare(i, 2, "(*") == 0) {
                i = text.find("*)", i);
                REQUIRE(i != std::string::npos);
                i += 2;
            } else if (std::isalnum(static_cast<unsigned char>(text[i])) || text[i] == '_') {
                word += text[i++];
                if (i < text.size() && (std::isalnum(static_cast<unsigned char>(text[i])) || text[i] == '_')) continue;
                words_.push_back(std::exchange(word, {}));
            } else if (text.compare(i, 2, ":=") == 0) {
                words_.push_back(":="), i += 2;
            } else {
                if (!std::isspace(static_cast<unsigned char>(text[i]))) words_.push_back(std::string(1, text[i]));
                ++i;
            }
        }
        take("FUNCTION_BLOCK");
        name = next();
        while (peek() == "VAR" || peek() == "VAR_INPUT" || peek() == "VAR_OUTPUT") {
            next();
            while (peek() != "END_VAR") {
                const std::string variable = next();
                take(":");
                const std::string type = next();
                REQUIRE((type == "BOOL" || type == "INT"));
                if (type == "INT") numbers[variable] = 0;
                else values[variable] = false;
                if (peek() == ":=") next(), values[variable] = next() == "TRUE";
                take(";");
            }
            next();
        }
        body_ = at_;
        statements(false);
        take("END_FUNCTION_BLOCK");
        CHECK(at_ == words_.size());
    }
    void scan() {
        at_ = body_;
        statements(true);
    }
    std::map<std::string, bool> values;
    std::map<std::string, int> numbers;
    std::string name;

private:
    const std::string& peek() const { return words_.at(at_); }
    std::string next() { return words_.at(at_++); }
    void take(const std::string& what) { REQUIRE(next() == what); }
    void statements(bool act) {
        while (peek() != "END_IF" && peek() != "ELSIF" && peek() != "ELSE" && peek() != "END_FUNCTION_BLOCK") {
            if (peek() == "IF") {
                next();
                bool done = false;
                while (true) {
                    const bool now = expression() && !done;
                    take("THEN");
                    statements(act && now);
                    done = done || now;
                    if (peek() != "ELSIF") break;
                    next();
                }
                if (peek() == "ELSE") next(), statements(act && !done);
                take("END_IF"), take(";");
                continue;
            }
            const std::string variable = next();
            REQUIRE(values.count(variable));
            take(":=");
            const bool value = expression();
            take(";");
            if (act) values[variable] = value;
        }
    }
    bool expression() {
        bool value = term();
        while (peek() == "OR") next(), value = term() || value;
        return value;
    }
    bool term() {
        bool value = factor();
        while (peek() == "AND") next(), value = factor() && value;
        return value;
    }
    bool factor() {
        if (peek() == "NOT") return next(), !factor();
        if (peek() == "(") {
            next();
            const bool value = expression();
            take(")");
            return value;
        }
        const std::string word = next();
        if (word == "TRUE" || word == "FALSE") return word == "TRUE";
        if (numbers.count(word)) return take("="), numbers[word] == std::stoi(next());
        REQUIRE(values.count(word));
        return values[word];
    }

    std::vector<std::string> words_;
    std::size_t at_ = 0, body_ = 0;
};

json cell_with(const std::string& rule) {
    json tree = {{"escarp", 1}, {"arm_models", cell::catalogue_arms()}, {"tool_models", cell::catalogue_tools()},
        {"devices", json::array()}};
    for (const char* id : {"left", "right"})
        tree["devices"].push_back({{"id", id}, {"name", std::string("Arm *) ") + id}, {"kind", "arm"},
            {"model", "six600"}, {"placement", {{"x_mm", id[0] == 'l' ? 0 : 3000}}}});
    tree["devices"].push_back({{"id", "lock"}, {"name", "Lock 1"}, {"kind", "interlock"}, {"one_arm", "left"},
        {"other_arm", "right"}, {"rule", rule}});
    if (rule == simulation::let_in::both_apart)
        tree["devices"].back()["together"] = {
            {{"first", 1}, {"second", 2}}, {{"first", 3}, {"second", 2}}, {{"first", 2}, {"second", 1}}};
    return tree;
}

}  // namespace

TEST_CASE("an interlock's structured text does what the simulated one does, over 10,000 random sequences") {
    for (const std::string& rule : simulation::let_in::all()) {
        const json tree = cell_with(rule);
        const auto cell = tests::read(tree);
        const std::string text = exchange::arbiter_text(tree, "lock");
        INFO(text);
        Block start(text);
        CHECK(start.name == "Lock_1");
        const int device = cell->device("lock"), arms[] = {cell->device("left"), cell->device("right")};
        tests::Draw draw(7);
        simulation::PlanCache plans;
        bool same = true, alone = true;
        int together = 0;
        const bool both = rule == simulation::let_in::both_apart;
        const std::set<std::pair<int, int>> apart{{1, 2}, {3, 2}, {2, 1}};
        for (int round = 0; round < 2500; ++round) {
            simulation::Kernel k(*cell, plans);
            k.start();
            simulation::ZoneArbiter& arbiter = *k.changing(device).arbiter();
            Block block = start;
            int visits[2] = {0, 0};
            for (int i = 0; i < 12; ++i) {
                const int arm = draw.whole(0, 1);
                if (arbiter.asked(arms[arm])) {
                    if (!arbiter.may(arms[arm])) continue;  // it waits
                    arbiter.give_back(k, arms[arm]);
                } else {
                    const int visit = draw.whole(1, 3);
                    arbiter.ask(k, arms[arm], visit);
                    visits[arm] = visit;
                    if (both) block.numbers[arm ? "second_visit" : "first_visit"] = visit;
                }
                block.values["first_asks"] = arbiter.asked(arms[0]);
                block.values["second_asks"] = arbiter.asked(arms[1]);
                block.scan();
                for (const int a : {0, 1}) {
                    const char* may = a ? "second_may" : "first_may";
                    same = same && block.values[may] == arbiter.may(arms[a]);
                    const auto& changes = k.trace().signal(std::string("lock.") + may)->changes;
                    same = same && (changes.back().second != 0) == arbiter.may(arms[a]);
                }
                if (!arbiter.may(arms[0]) || !arbiter.may(arms[1])) continue;
                ++together;
                alone = alone && both && apart.count({visits[0], visits[1]});
            }
        }
        CHECK(same);
        CHECK(alone);
        CHECK((together > 500) == both);
    }
}

TEST_CASE("an interlock's table of states says what its text does; what is no interlock is refused") {
    for (const std::string& rule : simulation::let_in::all()) {
        const json tree = cell_with(rule);
        std::istringstream rows(exchange::arbiter_table(tree, "lock"));
        std::string line;
        std::getline(rows, line);
        int count = 0;
        while (std::getline(rows, line)) {
            if (!line.empty() && line.back() == '\r') line.pop_back();
            std::vector<std::string> cells;
            std::istringstream row(line);
            for (std::string c; std::getline(row, c, ',');) cells.push_back(c);
            if (cells.empty()) break;  // what follows is which visits do not meet
            const bool both = rule == simulation::let_in::both_apart;
            REQUIRE(cells.size() == (both ? 6 : 5));
            Block block(exchange::arbiter_text(tree, "lock"));
            if (both) {
                block.numbers["first_visit"] = 1, block.numbers["second_visit"] = cells[2] == "meet" ? 1 : 2;
                cells.erase(cells.begin() + 2);
            }
            block.values["first_asks"] = cells[0] == "yes", block.values["second_asks"] = cells[1] == "yes";
            const auto is = [&](std::size_t i, const char* who) { return cells[i] == who || cells[i] == "both"; };
            block.values["first_may"] = is(2, "first"), block.values["second_may"] = is(2, "second");
            for (const char* own : {"turn_of_second", "second_came_first"})
                if (block.values.count(own)) block.values[own] = cells[3] == "second";
            block.scan();
            INFO(rule << ": " << line);
            CHECK(block.values["first_may"] == is(4, "first"));
            CHECK(block.values["second_may"] == is(4, "second"));
            ++count;
        }
        CHECK(count >= 6);
        CHECK_THROWS_AS(exchange::arbiter_text(tree, "left"), cell::InputError);
    }
}
