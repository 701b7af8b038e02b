#include "key_ledger.h"

#include <algorithm>

namespace escarp::cell {
namespace {

/// How many letters have to be put in, left out, changed or swapped with their neighbour to make one word of the other (Damerau 1964).
std::size_t slips_between(const std::string& a, const std::string& b) {
    std::vector<std::vector<std::size_t>> cost(a.size() + 1, std::vector<std::size_t>(b.size() + 1));
    for (std::size_t i = 0; i <= a.size(); ++i)
        for (std::size_t j = 0; j <= b.size(); ++j) {
            if (i == 0 || j == 0) {
                cost[i][j] = i + j;
                continue;
            }
            cost[i][j] = std::min({cost[i - 1][j] + 1, cost[i][j - 1] + 1, cost[i - 1][j - 1] + (a[i - 1] != b[j - 1])});
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1]) cost[i][j] = std::min(cost[i][j], cost[i - 2][j - 2] + 1);
        }
    return cost[a.size()][b.size()];
}

std::string word(const json& group) {
    const auto with = [](const std::string& what) { return (std::string("aeiou").find(what.front()) != std::string::npos ? "an " : "a ") + what; };
    for (const auto& [key, after] : {std::pair{"kind", ""}, std::pair{"do", " step"}, std::pair{"shape", ""}})
        if (const auto found = group.find(key); found != group.end() && found->is_string() && !found->get<std::string>().empty()) return with(found->get<std::string>()) + after;
    return "this group";
}

}  // namespace

void KeyLedger::asked(const json& group, const std::string& path, const std::string& key) {
    const auto [found, fresh] = groups_.try_emplace(&group);
    if (fresh) found->second.path = path, order_.push_back(&group);
    found->second.asked.insert(key);
}

std::vector<Problem> KeyLedger::slips() const {
    constexpr std::size_t longest = 64;
    std::vector<Problem> out;
    for (const json* group : order_) {
        const Group& g = groups_.at(group);
        for (const auto& [key, value] : group->items()) {
            if (g.asked.count(key)) continue;
            std::string nearest;
            std::size_t least = std::max<std::size_t>(2, key.size() / 4) + 1;
            if (key.size() <= longest)
                for (const std::string& known : g.asked)
                    if (const std::size_t off = slips_between(key, known); off < least && !group->contains(known)) least = off, nearest = known;
            out.push_back({g.path + (g.path.empty() ? "" : "/") + key.substr(0, longest), "\"" + key.substr(0, longest) + "\" is not a key of " + word(*group) + (nearest.empty() ? "; it is kept, and nothing reads it." : "; did you mean \"" + nearest + "\"?")});
        }
    }
    return out;
}

}  // namespace escarp::cell
