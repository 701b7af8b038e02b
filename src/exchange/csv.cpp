#include "csv.h"

#include <cstdlib>

namespace escarp::exchange {

namespace {
bool is_number(const std::string& text) {
    char* end = nullptr;
    std::strtod(text.c_str(), &end);
    return end == text.c_str() + text.size() && text.find_first_not_of("+-.0123456789eE") == std::string::npos;
}
}  // namespace

std::string csv_field(const std::string& text) {
    const bool computed =
        !text.empty() && !is_number(text) && std::string("=+-@\t\r").find(text.front()) != std::string::npos;
    if (!computed && text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = computed ? "\"'" : "\"";
    for (const char c : text) out += c == '"' ? std::string("\"\"") : std::string(1, c);
    return out + "\"";
}

std::string csv_line(const std::vector<std::string>& fields) {
    std::string out;
    for (const std::string& f : fields) out += (&f == &fields.front() ? "" : ",") + csv_field(f);
    return out + "\r\n";
}

}  // namespace escarp::exchange
