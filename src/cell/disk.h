#pragma once
// Files, read and written so that nothing odd on the disk can hold the program up and nothing whole is lost.

#include <cstddef>
#include <string>

namespace escarp::cell {

/// The bytes of a regular file. A folder, a pipe or a device is refused at once, as is a file of more than `most`
/// bytes. Throws InputError with the path and the reason.
std::string read_file(const std::string& file, std::size_t most);

/// Throws InputError where `file` is not a regular file that can be read (for those who open it by other means).
void check_regular(const std::string& file);

/// Whether a file is there and nobody may write it (its owner took the right away).
bool read_only(const std::string& file);

/// Puts `bytes` into a file at one stroke: whoever looks finds the old ones or the new ones, whatever ends the program,
/// and they are on the disk when this returns. Mode, owner and group stay what they were; a link is followed; a file
/// with several names is written in place, so that all of them show the same (then, and only then, an end of the
/// program in the midst of it leaves it cut off). Throws InputError with the reason; the old file is untouched then.
void write_file(const std::string& file, const std::string& bytes);

/// A name beside `file` to write to before the result takes the file's place.
std::string fresh_name(const std::string& file);
/// Lets `fresh`, which is whole, take the place of `file` as `write_file` says. Throws InputError; `fresh` is gone
/// then.
void take_place(const std::string& fresh, const std::string& file);

/// Removes what programs that were killed while they wrote `file` left beside it. Only for the one who holds the file's
/// lock.
void remove_left_overs(const std::string& file);

}  // namespace escarp::cell
