#pragma once
// The date as documents bear it.

#include <ctime>
#include <string>

namespace escarp::exchange {

/// Of today, here: "2026-03-01" (ISO 8601).
inline std::string today() {
    const std::time_t now = std::time(nullptr);
    std::tm local{};
    localtime_r(&now, &local);
    char text[20];
    std::strftime(text, sizeof text, "%Y-%m-%d", &local);
    return text;
}

}  // namespace escarp::exchange
