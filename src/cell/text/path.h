#pragma once
// Where something stands in a document, put together key by key.

#include <string>

namespace escarp::cell {

/// "/devices/arm1/placement/x_mm" is Path("devices") / "arm1" / "placement" / "x_mm".
class Path {
public:
    explicit Path(const std::string& first) : text_("/" + first) {}
    operator const std::string&() const { return text_; }  // NOLINT: it is one, for whoever reads it
    const std::string& text() const { return text_; }

    friend Path operator/(Path path, const std::string& key) {
        path.text_ += "/" + key;
        return path;
    }
    friend Path operator/(Path path, std::size_t index) { return std::move(path) / std::to_string(index); }

private:
    std::string text_;
};

/// A device, by its id.
inline Path at_device(const std::string& id) { return Path("devices") / id; }

}  // namespace escarp::cell
