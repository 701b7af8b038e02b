#include "list_csv.h"

#include <algorithm>
#include <charconv>
#include <cmath>

namespace escarp::cell {
namespace {

struct CsvCell {
    std::string text;
    int line, column;  ///< where it begins, from 1
};

[[noreturn]] void refuse(const CsvCell& at, const std::string& why) {
    throw InputError("line " + std::to_string(at.line) + ", column " + std::to_string(at.column),
        "Line " + std::to_string(at.line) + ", column " + std::to_string(at.column) + ": " + why);
}

std::string trimmed(const std::string& s) {
    const auto from = s.find_first_not_of(" \t"), to = s.find_last_not_of(" \t");
    return from == std::string::npos ? std::string() : s.substr(from, to - from + 1);
}

/// Lines of cells; empty lines are left out.
std::vector<std::vector<CsvCell>> split(const std::string& csv) {
    std::vector<std::vector<CsvCell>> rows(1);
    CsvCell now{{}, 1, 1};
    int line = 1, column = 1;
    bool quoted = false, was_quoted = false;
    const auto end_cell = [&] {
        if (!was_quoted) now.text = trimmed(now.text);
        rows.back().push_back(std::exchange(now, {{}, line, column}));
        was_quoted = false;
    };
    const auto end_line = [&] {
        end_cell();
        if (rows.back().size() == 1 && rows.back().front().text.empty()) rows.back().clear();
        else rows.emplace_back();
    };
    for (std::size_t i = 0; i < csv.size(); ++i) {
        const char c = csv[i];
        ++column;
        if (quoted) {
            if (c == '\n') ++line, column = 1;
            if (c != '"') now.text += c;
            else if (i + 1 < csv.size() && csv[i + 1] == '"') now.text += '"', ++i, ++column;
            else quoted = false;
        } else if (c == '"' && trimmed(now.text).empty()) {
            quoted = was_quoted = true;
            now.text.clear();
        } else if (c == ',' || c == ';' || c == '\t') {
            end_cell();
        } else if (c == '\n') {
            ++line, column = 1;
            end_line();
            now.line = line, now.column = 1;
        } else if (c != '\r') {
            now.text += c;
        }
    }
    if (quoted) refuse(now, "the quotation mark is never closed.");
    end_line();
    if (rows.back().empty()) rows.pop_back();
    return rows;
}

std::optional<double> number_of(const std::string& text) {
    double value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    return error == std::errc() && end == text.data() + text.size() && std::isfinite(value) ? std::optional(value)
                                                                                            : std::nullopt;
}

json value_of(const Cell& cell, const Field& f, const CsvCell& c) {
    switch (f.type) {
        case Field::Type::number:
        case Field::Type::whole: {
            const std::optional<double> value = number_of(c.text);
            if (!value && f.varies) {
                try {
                    Spread::parse(c.text);
                } catch (const InputError& e) {
                    refuse(c, e.problems().front().message);
                }
                return c.text;
            }
            if (!value) refuse(c, "\"" + c.text + "\" is no number; " + f.label + " is expected.");
            if (*value < f.low || *value > f.high)
                refuse(
                    c, f.label + " is expected to be from " + json(f.low).dump() + " to " + json(f.high).dump() + ".");
            if (f.type == Field::Type::whole) return static_cast<std::int64_t>(std::llround(*value));
            return *value;
        }
        case Field::Type::part_type:
            if (cell.part_type(c.text) < 0) {
                std::string all;
                for (const PartType& p : cell.part_types) all += (all.empty() ? "" : ", ") + p.id;
                refuse(c, "\"" + c.text + "\" is not the id of a part type; there are " + all + ".");
            }
            return c.text;
        default: return c.text;
    }
}

}  // namespace

bool reads_csv(const Field& list) {
    if (list.type != Field::Type::list || !list.inner) return false;
    const Fields& inner = list.inner();
    return std::all_of(inner.begin(), inner.end(), [](const Field& f) {
        return f.type == Field::Type::number || f.type == Field::Type::whole || f.type == Field::Type::part_type;
    });
}

Edit list_from_csv(const Layout& layout, const std::string& path, const Field& list, const std::string& csv) {
    const Fields& keys = list.inner();
    json out = json::array();
    std::vector<std::vector<CsvCell>> rows = split(csv);
    const auto is_name = [&](const CsvCell& c) {
        return !c.text.empty() && !number_of(c.text) && layout.cell().part_type(c.text) < 0;
    };
    if (rows.size() > 1 && std::all_of(rows.front().begin(), rows.front().end(), is_name)) rows.erase(rows.begin());
    for (const std::vector<CsvCell>& row : rows) {
        if (row.size() > keys.size())
            refuse(row[keys.size()], "at most " + std::to_string(keys.size()) + " columns are expected.");
        json one = json::object();
        for (std::size_t i = 0; i < keys.size(); ++i) {
            const bool there = i < row.size() && !row[i].text.empty();
            if (there) one[keys[i].key] = value_of(layout.cell(), keys[i], row[i]);
            else if (keys[i].needed()) refuse(row.back(), keys[i].label + " is missing in this line.");
        }
        out.push_back(std::move(one));
        if (list.most > 0 && static_cast<int>(out.size()) > list.most)
            refuse(row.front(), "at most " + std::to_string(list.most) + " lines are possible.");
    }
    if (out.empty()) throw InputError("line 1, column 1", "There is no line with values in it.");
    return {"Read " + list.label, {Operation::set(path, std::move(out))}};
}

}  // namespace escarp::cell
