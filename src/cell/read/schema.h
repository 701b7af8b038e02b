#pragma once
// The JSON Schema of a cell file, made from the tables of keys.

#include <cell/model/device_kind.h>

namespace escarp::cell {

/// Draft 2020-12. Every key has its title, usual value and help, so that an editor of JSON can offer and explain it.
json cell_schema(const Kinds& kinds);

}  // namespace escarp::cell
