#include "arbiter_text.h"

#include <algorithm>
#include <array>
#include <cctype>

#include <cell/edit.h>

#include "csv.h"

namespace escarp::exchange {
namespace {

struct Logic {
    std::string name, rule, first, second;
};

Logic logic_of(const cell::json& tree, const std::string& device) {
    const cell::json* d = cell::find(tree, "/devices/" + device);
    if (!d || d->value("kind", "") != "interlock") {
        std::string known;
        for (const cell::json& other : tree.value("devices", cell::json::array()))
            if (other.value("kind", "") == "interlock")
                known += (known.empty() ? "" : ", ") + other["id"].get<std::string>();
        throw cell::InputError("--interlock",
            "\"" + device + "\" is not the id of an interlock; the cell has " + (known.empty() ? "none" : known) + ".");
    }
    const auto name = [&](const char* key) {
        const cell::json* arm = cell::find(tree, "/devices/" + d->value(key, ""));
        return arm && !d->value(key, "").empty() ? arm->value("name", "") : std::string("nobody");
    };
    return {d->value("name", device), d->value("rule", "first come"), name("one_arm"), name("other_arm")};
}

/// A name as IEC 61131-3 has them: letters, digits and single underscores.
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
/// Nothing ends the comment that it stands in.
std::string remark(std::string words) {
    for (std::size_t i = 0; i + 1 < words.size(); ++i)
        if ((words[i] == '*' && words[i + 1] == ')') || (words[i] == '(' && words[i + 1] == '*')) words[i + 1] = ' ';
    std::replace_if(
        words.begin(), words.end(), [](char c) { return static_cast<unsigned char>(c) < 0x20; }, ' ');
    return words;
}

std::string words_of(const std::string& rule, const std::string& first, const std::string& second) {
    if (rule == "in turn") return "They go in by turns, " + first + " first.";
    if (rule == "first before second") return "Where both ask, " + first + " goes in.";
    if (rule == "second before first") return "Where both ask, " + second + " goes in.";
    return "Who asked first goes in.";
}

}  // namespace

std::string arbiter_text(const cell::json& tree, const std::string& device) {
    const Logic l = logic_of(tree, device);
    const std::string own = identifier(l.name);
    const bool turns = l.rule == "in turn", by_time = l.rule == "first come";
    std::string t;
    t += "(* " + remark(l.name) + ": lets one of two arms at a time into space that they share.\n";
    t += "   first: " + remark(l.first) + "; second: " + remark(l.second) + ".\n   " +
         remark(words_of(l.rule, l.first, l.second)) + "\n";
    t += "   An arm asks from before it goes in until it is out again; it goes in while it may. *)\n";
    t += "FUNCTION_BLOCK " + own + "\n";
    t += "VAR_INPUT\n    first_asks : BOOL;\n    second_asks : BOOL;\nEND_VAR\n";
    t += "VAR_OUTPUT\n    first_may : BOOL;\n    second_may : BOOL;\nEND_VAR\n";
    if (turns) t += "VAR\n    turn_of_second : BOOL := FALSE;\nEND_VAR\n";
    if (by_time) t += "VAR\n    second_came_first : BOOL := FALSE;\nEND_VAR\n";
    if (by_time) {
        t += "IF second_asks AND NOT first_asks THEN\n    second_came_first := TRUE;\n";
        t += "ELSIF first_asks AND NOT second_asks THEN\n    second_came_first := FALSE;\nEND_IF;\n";
    }
    t += "first_may := first_may AND first_asks;\nsecond_may := second_may AND second_asks;\n";
    const std::string one = turns                             ? "first_asks AND NOT turn_of_second"
                            : by_time                         ? "first_asks AND NOT (second_asks AND second_came_first)"
                            : l.rule == "first before second" ? "first_asks"
                                                              : "first_asks AND NOT second_asks";
    const std::string two = turns ? "second_asks AND turn_of_second" : "second_asks";
    t += "IF NOT first_may AND NOT second_may THEN\n";
    t += "    IF " + one + " THEN\n        first_may := TRUE;\n" + (turns ? "        turn_of_second := TRUE;\n" : "");
    t += "    ELSIF " + two + " THEN\n        second_may := TRUE;\n" +
         (turns ? "        turn_of_second := FALSE;\n" : "");
    t += "    END_IF;\nEND_IF;\nEND_FUNCTION_BLOCK\n";
    return t;
}

std::string arbiter_table(const cell::json& tree, const std::string& device) {
    const Logic l = logic_of(tree, device);
    const bool turns = l.rule == "in turn", by_time = l.rule == "first come";
    std::string out = csv_line({"first asks", "second asks", "who is inside",
        turns     ? "whose turn"
        : by_time ? "who came first"
                  : "rule",
        "who may then"});
    for (const bool one : {false, true})
        for (const bool two : {false, true})
            for (const int holder : {-1, 0, 1})
                for (const int before : {0, 1}) {
                    if (!turns && !by_time && before == 1) continue;
                    if ((holder == 0 && !one) || (holder == 1 && !two)) continue;  // it has given back
                    if (by_time && ((one && !two && before == 1) || (two && !one && before == 0))) continue;
                    int may = holder;
                    if (may < 0) {
                        const int preferred = turns || by_time ? before : l.rule == "second before first" ? 1 : 0;
                        const std::array<bool, 2> asks{one, two};
                        may = asks[preferred] ? preferred : !turns && asks[1 - preferred] ? 1 - preferred : -1;
                    }
                    const auto who = [](int side) {
                        return std::string(side < 0 ? "nobody" : side ? "second" : "first");
                    };
                    out += csv_line({one ? "yes" : "no", two ? "yes" : "no", who(holder),
                        turns || by_time ? who(before) : l.rule, who(may)});
                }
    return out;
}

}  // namespace escarp::exchange
