#pragma once
// Databases that come from anybody.

struct sqlite3;

namespace escarp::study {

/// Nothing that a file brings along acts: no triggers, views, extensions or functions with effects; no value is larger
/// than what this program writes, and no statement runs for ever.
void keep_passive(sqlite3* handle);

}  // namespace escarp::study
