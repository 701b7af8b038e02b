#pragma once
// Reads what devices tell each other.

#include "device_kind.h"

namespace escarp::cell {

/// A device's own signals and numbers, and the inputs that it has beside those of its kind.
void read_signals(const Reader& device, Device& d);
/// What inputs take their values from; after every device has been read and `number_signals`.
void read_sources(const Reader& device, Cell& cell, int index);
void number_signals(Cell& cell);
/// No two signals have one address.
void check_addresses(const Reader& cell_reader, const Cell& cell);

/// What a name means in an expression of `owner` (-1: none): "device.signal", or a signal of the owner's own. Inputs
/// are looked at by the tasks of their own device only.
NamedSignal named_signal(const Cell& cell, int owner, bool in_task, const std::string& name);

}  // namespace escarp::cell
