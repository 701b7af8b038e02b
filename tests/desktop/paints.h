#pragma once
// What was worked out during paint events, by the widget that painted.

#include <QObject>
#include <cstdint>
#include <map>
#include <string>

namespace escarp::tests {

struct Paints {
    std::map<std::string, int> count;             ///< by class
    std::map<std::string, std::uint64_t> worked;  ///< see geometry::work_done; only where there was some
    void add(const QObject* painted, std::uint64_t work) {
        const std::string name = painted->metaObject()->className();
        ++count[name];
        if (work > 0) worked[name] += work;
    }
};

inline Paints& paints() {
    static Paints all;
    return all;
}

}  // namespace escarp::tests
