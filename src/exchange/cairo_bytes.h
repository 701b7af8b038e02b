#pragma once
// What cairo draws, gathered in memory and then written at one stroke.

#include <cairo.h>

#include <cell/text/disk.h>
#include <cell/text/problem.h>

namespace escarp::exchange {

/// To be given to cairo with the string that gathers the bytes.
inline cairo_status_t gather(void* bytes, const unsigned char* more, unsigned length) {
    static_cast<std::string*>(bytes)->append(reinterpret_cast<const char*>(more), length);
    return CAIRO_STATUS_SUCCESS;
}

/// `bytes` are those that the surface has handed to `gather`; the surface is gone afterwards. Throws InputError.
inline void write_gathered(cairo_surface_t* surface, const std::string& bytes, const std::string& file) {
    cairo_surface_finish(surface);
    const cairo_status_t status = cairo_surface_status(surface);
    cairo_surface_destroy(surface);
    if (status != CAIRO_STATUS_SUCCESS)
        throw cell::InputError(
            file, std::string("The drawing could not be made: ") + cairo_status_to_string(status) + ".");
    cell::write_file(file, bytes);
}

}  // namespace escarp::exchange
