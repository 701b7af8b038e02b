#include "arbiter_text.h"

#include <algorithm>
#include <array>
#include <cctype>

#include <cell/document/edit.h>
#include <simulation/zone_arbiter.h>

#include "csv.h"

namespace escarp::exchange {
std::string identifier(const std::string& name) {
    std::string out;
    for (const char c : name) {
        const bool fits = std::isalnum(static_cast<unsigned char>(c)) && static_cast<unsigned char>(c) < 0x80;
        if (fits) out.push_back(c);
        else if (!out.empty() && out.back() != '_') out.push_back('_');
    }
    while (!out.empty() && out.back() == '_') out.pop_back();
    if (out.empty() || std::isdigit(static_cast<unsigned char>(out[0]))) out = "Interlock_" + out;
    return out;
}
std::string remark(std::string words) {
    for (std::size_t i = 0; i + 1 < words.size(); ++i)
        if ((words[i] == '*' && words[i + 1] == ')') || (words[i] == '(' && words[i + 1] == '*')) words[i + 1] = ' ';
    std::replace_if(
        words.begin(), words.end(), [](char c) { return static_cast<unsigned char>(c) < 0x20; }, ' ');
    return words;
}

namespace {

namespace let_in = simulation::let_in;

struct Logic {
    std::string name, rule, first, second;
    std::vector<std::pair<int, int>> together;  ///< visits of the two that may be let in at once
    bool turns() const { return rule == let_in::turns; }
    bool both() const { return rule == let_in::both_apart; }
    bool by_time() const { return rule == let_in::first_come || both(); }
};

Logic logic_of(const cell::json& tree, const std::string& device) {
    const cell::json* d = cell::find(tree, cell::at_device(device));
    if (!d || d->value("kind", "") != "interlock") {
        std::string known;
        for (const cell::json& other : tree.value("devices", cell::json::array()))
            if (other.value("kind", "") == "interlock")
                known += (known.empty() ? "" : ", ") + other["id"].get<std::string>();
        throw cell::InputError("--interlock",
            "\"" + device + "\" is not the id of an interlock; the cell has " + (known.empty() ? "none" : known) + ".");
    }
    const auto name = [&](const char* key) {
        const cell::json* arm = cell::find(tree, cell::at_device(d->value(key, "")));
        return arm && !d->value(key, "").empty() ? arm->value("name", "") : std::string("nobody");
    };
    Logic l{d->value("name", device), d->value("rule", let_in::first_come), name("one_arm"), name("other_arm"), {}};
    for (const cell::json& pair : d->value("together", cell::json::array()))
        l.together.emplace_back(pair.value("first", 1), pair.value("second", 1));
    std::sort(l.together.begin(), l.together.end());
    return l;
}

std::string words_of(const Logic& l) {
    const std::string first = remark(l.first), second = remark(l.second);
    if (l.turns()) return "They go in by turns, " + first + " first.";
    if (l.rule == let_in::first) return "Where both ask, " + first + " goes in.";
    if (l.rule == let_in::second) return "Where both ask, " + second + " goes in.";
    if (l.both())
        return "Who asked first goes in; the other one, too, where what they are about to do does not meet.\n   "
               "first_visit and second_visit say which of its visits each is about to make; they are set before it "
               "asks.";
    return "Who asked first goes in.";
}

/// With the rule that lets both in: an arm goes in if the other one is not there or does not meet it.
std::string lets_both_in(const Logic& l) {
    std::string apart;
    for (const auto& [first, second] : l.together)
        apart += (apart.empty() ? "" : "\n    OR ") + std::string("(first_visit = ") + std::to_string(first) +
                 " AND second_visit = " + std::to_string(second) + ")";
    std::string t = "apart := " + (apart.empty() ? "FALSE" : apart) + ";\n";
    t += "IF first_asks AND NOT first_may AND (apart OR NOT second_may AND NOT (second_asks AND second_came_first)) "
         "THEN\n    first_may := TRUE;\nEND_IF;\n";
    t += "IF second_asks AND NOT second_may AND (apart OR NOT first_may) THEN\n    second_may := TRUE;\nEND_IF;\n";
    return t;
}

}  // namespace

std::string arbiter_text(const cell::json& tree, const std::string& device) {
    const Logic l = logic_of(tree, device);
    const std::string own = identifier(l.name);
    const bool turns = l.turns();
    std::string t;
    t += "(* " + remark(l.name) + ": lets two movers into space that they share" + (l.both() ? "" : ", one at a time") +
         ".\n";
    t += "   first: " + remark(l.first) + "; second: " + remark(l.second) + ".\n   " + words_of(l) + "\n";
    t += "   Each asks from before it goes in until it is out again; it goes in while it may. *)\n";
    t += "FUNCTION_BLOCK " + own + "\n";
    t += "VAR_INPUT\n    first_asks : BOOL;\n    second_asks : BOOL;\n";
    if (l.both()) t += "    first_visit : INT;\n    second_visit : INT;\n";
    t += "END_VAR\n";
    t += "VAR_OUTPUT\n    first_may : BOOL;\n    second_may : BOOL;\nEND_VAR\n";
    if (turns) t += "VAR\n    turn_of_second : BOOL := FALSE;\nEND_VAR\n";
    if (l.by_time())
        t += "VAR\n    second_came_first : BOOL := FALSE;\n" +
             std::string(l.both() ? "    apart : BOOL := FALSE;\n" : "") + "END_VAR\n";
    if (l.by_time()) {
        t += "IF second_asks AND NOT first_asks THEN\n    second_came_first := TRUE;\n";
        t += "ELSIF first_asks AND NOT second_asks THEN\n    second_came_first := FALSE;\nEND_IF;\n";
    }
    t += "first_may := first_may AND first_asks;\nsecond_may := second_may AND second_asks;\n";
    if (l.both()) return t + lets_both_in(l) + "END_FUNCTION_BLOCK\n";
    const std::string one = turns                     ? "first_asks AND NOT turn_of_second"
                            : l.by_time()             ? "first_asks AND NOT (second_asks AND second_came_first)"
                            : l.rule == let_in::first ? "first_asks"
                                                      : "first_asks AND NOT second_asks";
    const std::string two = turns ? "second_asks AND turn_of_second" : "second_asks";
    t += "IF NOT first_may AND NOT second_may THEN\n";
    t += "    IF " + one + " THEN\n        first_may := TRUE;\n" + (turns ? "        turn_of_second := TRUE;\n" : "");
    t += "    ELSIF " + two + " THEN\n        second_may := TRUE;\n" +
         (turns ? "        turn_of_second := FALSE;\n" : "");
    t += "    END_IF;\nEND_IF;\nEND_FUNCTION_BLOCK\n";
    return t;
}

namespace {
/// Who may go in, given who asks, who is inside, and who came first or whose turn it is.
std::array<bool, 2> may_then(
    const Logic& l, const std::array<bool, 2>& asks, const std::array<bool, 2>& inside, int before, bool apart) {
    std::array<bool, 2> may = inside;
    const bool turns = l.turns(), by_time = l.by_time();
    const int preferred = turns || by_time ? before : l.rule == let_in::second ? 1 : 0;
    for (const int side : {preferred, 1 - preferred})
        if (asks[side] && !may[1 - side] && !(turns && side != preferred)) may[side] = true;
        else if (asks[side] && apart) may[side] = true;
    return may;
}
}  // namespace

std::string arbiter_table(const cell::json& tree, const std::string& device) {
    const Logic l = logic_of(tree, device);
    std::vector<std::string> head{"first asks", "second asks", "who is inside",
        l.turns()     ? "whose turn"
        : l.by_time() ? "who came first"
                      : "rule",
        "who may then"};
    if (l.both()) head.insert(head.begin() + 2, "their visits");
    std::string out = csv_line(head);
    const auto who = [](const std::array<bool, 2>& these) {
        return std::string(these[0] && these[1] ? "both" : these[0] ? "first" : these[1] ? "second" : "nobody");
    };
    for (const bool one : {false, true})
        for (const bool two : {false, true})
            for (const bool apart : {false, true})
                for (const int holders : {0, 1, 2, 3})
                    for (const int before : {0, 1}) {
                        const std::array<bool, 2> asks{one, two}, inside{(holders & 1) != 0, (holders & 2) != 0};
                        if (apart && !l.both()) continue;
                        if (holders == 3 && !apart) continue;
                        if (!l.turns() && !l.by_time() && before == 1) continue;
                        if ((inside[0] && !one) || (inside[1] && !two)) continue;  // it has given back
                        if (l.by_time() && ((one && !two && before == 1) || (two && !one && before == 0))) continue;
                        std::vector<std::string> row{one ? "yes" : "no", two ? "yes" : "no", who(inside),
                            l.turns() || l.by_time() ? before == 1 ? "second" : "first" : l.rule,
                            who(may_then(l, asks, inside, before, apart))};
                        if (l.both()) row.insert(row.begin() + 2, apart ? "do not meet" : "meet");
                        out += csv_line(row);
                    }
    if (l.both()) {
        out += csv_line({}) + csv_line({"visit of the first", "visit of the second"});
        for (const auto& [first, second] : l.together) out += csv_line({std::to_string(first), std::to_string(second)});
    }
    return out;
}

}  // namespace escarp::exchange
