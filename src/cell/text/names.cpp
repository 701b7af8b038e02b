#include "names.h"

#include <algorithm>
#include <cctype>
#include <set>

namespace escarp::cell {
namespace {

void collect_ids(const json& value, std::set<std::string>& ids) {
    if (value.is_object())
        for (const auto& [key, item] : value.items()) {
            if (key == "id" && item.is_string()) ids.insert(item.get<std::string>());
            collect_ids(item, ids);
        }
    else if (value.is_array())
        for (const json& item : value) collect_ids(item, ids);
    else if (value.is_string()) ids.insert(value.get<std::string>());  // ids that a difference only names count as used
}

/// Names of devices.
void collect_names(const json& devices, std::set<std::string>& out) {
    for (const json& device : devices)
        if (device.is_object() && device.contains("name") && device["name"].is_string())
            out.insert(device["name"].get<std::string>());
}

}  // namespace

bool valid_id(const std::string& id) {
    return !id.empty() && id.size() <= 64 &&
           std::all_of(id.begin(), id.end(), [](unsigned char c) { return std::isalnum(c) || c == '-' || c == '_'; });
}

std::string free_id(const json& whole_document, const std::string& wish) {
    std::string stem;
    for (const unsigned char c : wish) stem += std::isalnum(c) ? static_cast<char>(std::tolower(c)) : '_';
    if (stem.empty()) stem = "x";
    stem = stem.substr(0, 40);
    std::set<std::string> used;
    collect_ids(whole_document, used);
    if (!used.count(stem)) return stem;
    for (int i = 2;; ++i)
        if (!used.count(stem + "_" + std::to_string(i))) return stem + "_" + std::to_string(i);
}

std::string free_name(const json& cell, const std::string& wish, const json& whole_document) {
    std::set<std::string> used;
    if (cell.contains("devices")) collect_names(cell["devices"], used);
    for (const json& v : whole_document.value("variants", json::array()))
        for (const json& difference : v.value("differences", json::array())) {
            if (difference.contains("add")) collect_names(json::array({difference["add"]}), used);
            const auto value = difference.find("value");
            if (value != difference.end() && value->is_string() && difference.value("at", "").ends_with("/name"))
                used.insert(value->get<std::string>());
        }
    if (!used.count(wish)) return wish;
    std::string stem = wish;
    while (!stem.empty() && std::isdigit(static_cast<unsigned char>(stem.back()))) stem.pop_back();
    if (stem.empty() || stem.back() != ' ') stem = wish + " ";
    for (int i = 2;; ++i)
        if (!used.count(stem + std::to_string(i))) return stem + std::to_string(i);
}

}  // namespace escarp::cell
