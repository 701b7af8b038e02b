#include "measured_csv.h"

#include <charconv>
#include <cmath>
#include <fstream>

#include <cell/text/numbers.h>

#include "csv.h"

namespace escarp::exchange {
namespace {

constexpr std::size_t most_samples = 500'000;

std::vector<std::string> split(const std::string& line, char by) {
    std::vector<std::string> out(1);
    bool quoted = false;
    for (const char c : line) {
        if (c == '"') quoted = !quoted;
        else if (c == by && !quoted) out.emplace_back();
        else if (c != '\r') out.back().push_back(c);
    }
    for (std::string& one : out) {
        const auto from = one.find_first_not_of(" \t"), to = one.find_last_not_of(" \t");
        one = from == std::string::npos ? "" : one.substr(from, to - from + 1);
    }
    return out;
}

struct Column {
    int joint = -1;  ///< -1: time, -2: neither
    double factor = 1;
};

/// What a name says: a joint of the arm and its unit.
Column column_of(std::string name, const cell::Device& arm) {
    const std::string own = arm.id + ".";
    if (name.rfind(own, 0) == 0) name = name.substr(own.size());
    const auto& joints = arm.arm->model->mechanism.joints;
    for (std::size_t j = 0; j < joints.size(); ++j) {
        const bool slide = joints[j].type == kinematics::JointType::slide;
        const std::string& is = joints[j].name;
        const double deg = geometry::pi / 180;
        const int index = static_cast<int>(j);
        if (name == is || name == is + (slide ? "_mm" : "_deg")) return {index, slide ? 1e-3 : deg};
        if (name == is + (slide ? "_m" : "_rad")) return {index, 1};
    }
    return {-2, 1};
}

double number_in(const std::string& text, const std::string& where, const std::string& column) {
    double value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc() || end != text.data() + text.size() || !std::isfinite(value))
        throw cell::InputError(where,
            "Found \"" + text.substr(0, 40) + "\" in column \"" + column + "\"; a number with a point is expected.");
    return value;
}

}  // namespace

study::Measured read_measured(const std::string& file, const cell::Device& arm, std::vector<std::string>* others) {
    if (!arm.arm) throw cell::InputError("devices/" + arm.id, arm.name + " is no arm.");
    std::ifstream in(file);
    std::string line;
    if (!in || !std::getline(in, line)) throw cell::InputError(file, "The file cannot be read, or is empty.");
    if (line.rfind("\xEF\xBB\xBF", 0) == 0) line = line.substr(3);
    const char by = line.find(';') != std::string::npos ? ';' : line.find('\t') != std::string::npos ? '\t' : ',';
    const std::vector<std::string> names = split(line, by);
    const int count = arm.arm->model->mechanism.size();
    std::vector<Column> columns;
    std::vector<bool> there(static_cast<std::size_t>(count), false);
    bool timed = false;
    for (const std::string& name : names) {
        if (name == "t_s" || name == "t_ms" || name == "time_s") {
            if (timed) throw cell::InputError(file + ":1", "There are two columns of times; one is expected.");
            timed = true;
            columns.push_back({-1, name == "t_ms" ? 1e-3 : 1.0});
            continue;
        }
        columns.push_back(column_of(name, arm));
        const int joint = columns.back().joint;
        if (joint < 0) {
            if (others) others->push_back(name);
            continue;
        }
        if (there[static_cast<std::size_t>(joint)])
            throw cell::InputError(file + ":1", "There are two columns for the same joint (\"" + name + "\").");
        there[static_cast<std::size_t>(joint)] = true;
    }
    std::string lacking, known;
    for (int j = 0; j < count; ++j) {
        const kinematics::Joint& joint = arm.arm->model->mechanism.joints[j];
        const std::string name = joint.name + (joint.type == kinematics::JointType::slide ? "_mm" : "_deg");
        known += ", " + name;
        if (!there[static_cast<std::size_t>(j)]) lacking += (lacking.empty() ? "" : ", ") + name;
    }
    if (!timed || !lacking.empty())
        throw cell::InputError(file + ":1", std::string("Missing: ") +
                                                (timed                ? ""
                                                    : lacking.empty() ? "t_s"
                                                                      : "t_s, ") +
                                                lacking + ". The first line is expected to be \"t_s" + known +
                                                "\", in any order.");
    study::Measured out;
    for (int number = 2; std::getline(in, line); ++number) {
        if (line.empty() || line == "\r") continue;
        const std::string where = file + ":" + std::to_string(number);
        const std::vector<std::string> cells = split(line, by);
        if (cells.size() != columns.size())
            throw cell::InputError(where, std::to_string(cells.size()) + " values; " + std::to_string(columns.size()) +
                                              " are expected, as in the first line.");
        double t = 0;
        kinematics::JointVector q(count);
        for (std::size_t c = 0; c < columns.size(); ++c) {
            if (columns[c].joint == -2) continue;
            const double value = columns[c].factor * number_in(cells[c], where, names[c]);
            (columns[c].joint == -1 ? t : q[columns[c].joint]) = value;
        }
        if (!out.t.empty() && t <= out.t.back())
            throw cell::InputError(where, "The time " + cell::shortest(t) + " s is not later than the " +
                                              cell::shortest(out.t.back()) +
                                              " s before it; times that rise are expected.");
        if (out.t.size() >= most_samples)
            throw cell::InputError(where, "More than " + std::to_string(most_samples) +
                                              " lines; a shorter stretch is expected. Some ten rounds are plenty.");
        out.t.push_back(t), out.q.push_back(q);
    }
    return out;
}

std::string measured_csv(const study::Measured& measured, const cell::Device& arm) {
    const auto& joints = arm.arm->model->mechanism.joints;
    std::vector<std::string> fields{"t_s"};
    for (const kinematics::Joint& j : joints)
        fields.push_back(j.name + (j.type == kinematics::JointType::slide ? "_mm" : "_deg"));
    std::string out = csv_line(fields);
    for (std::size_t i = 0; i < measured.t.size(); ++i) {
        fields.assign(1, cell::fixed(measured.t[i], 7));
        for (std::size_t j = 0; j < joints.size(); ++j)
            fields.push_back(
                cell::fixed(measured.q[i][static_cast<int>(j)] *
                                (joints[j].type == kinematics::JointType::slide ? 1e3 : 180 / geometry::pi),
                    4));
        out += csv_line(fields);
    }
    return out;
}

}  // namespace escarp::exchange
