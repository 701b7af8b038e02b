#pragma once
// Files, read and written so that nothing odd on the disk can hold the program up and nothing whole is lost.

#include <cstddef>
#include <string>
#include <vector>

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

/// For files that are handed on: refuses what would destroy something. `endings`: of which one is expected, without the
/// dot (none: any). Refused are another ending, a folder, a pipe or a device, a cell file, a file of results, and
/// whatever is read meanwhile. Throws InputError.
void check_target(
    const std::string& file, const std::vector<std::string>& endings, const std::vector<std::string>& reads = {});

/// A new file beside `file` for what will take its place: exclusive, not through a link, under a name that nobody can
/// foresee. The descriptor is the caller's; `name` is told. Throws InputError.
/// `for_others`: as the user's mask lets others read it, else the owner alone.
int open_fresh(const std::string& file, std::string& name, bool for_others = false);

/// Whether a text begins as a cell file does.
bool begins_like_a_cell(const std::string& bytes);
/// Removes what programs that were killed while they wrote `file` left beside it: files under a name as `open_fresh`
/// gives it, of the same owner, that hold nothing or whose first 4 kB are `ours`. Only for the one who holds the file's
/// lock.
void remove_left_overs(const std::string& file, bool (*ours)(const std::string& bytes) = begins_like_a_cell);

}  // namespace escarp::cell
