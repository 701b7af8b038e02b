#pragma once
// Nests on something that moves: parts are put in at one of its places, ride, and are taken at another.

#include <simulation/axis.h>

namespace escarp::simulation {

/// A seat's number is its place times the nests that come to each place, plus the nest. Where there are as many groups
/// of nests as places they go round, all at once; one group goes there and back.
struct Table final : cell::Parameters {
    std::vector<double> values;  ///< of the axis, at each place
    double whole_turn = 0;       ///< what brings it back to where it was; 0: it goes there and back
    int nests = 1;               ///< in each group
    int loads_at = 0, gives_at = 0;
    bool when_asked = false;  ///< moves when its input says so, else when it is full or empty
    cell::Spread dwell;       ///< that it stands at least after it has moved with parts, s
    std::string to;           ///< hands parts on by itself; empty: arms take them
    double speed = 0.25;      ///< of parts from and to belts, m/s

    bool round() const { return whole_turn > 0; }
    int places() const { return static_cast<int>(values.size()); }
    int seat(int place, int nest) const { return place * nests + nest; }
};
inline const Table& table_of(const cell::Device& d) { return static_cast<const Table&>(*d.parameters); }

/// What lifts, shuttles and turntables have in common.
class TableKind : public Kind {
public:
    bool follows_belts() const override { return true; }
    Lane lane() const override { return Lane::work; }
    std::vector<double> stands_at(const cell::Device& d) const override { return table_of(d).values; }
    std::vector<double> served_at(const cell::Device& d, int seat) const override;
    std::vector<int> pick_seats(const cell::Device& d) const override { return seats_at(d, table_of(d).gives_at); }
    std::vector<int> place_seats(const cell::Device& d) const override { return seats_at(d, table_of(d).loads_at); }
    std::optional<Vector3> side_joint(const cell::Cell& cell, const cell::Device& d) const override;
    std::unique_ptr<Behaviour> behaviour(const cell::Device& d, int index, const cell::Cell& c) const override;

protected:
    /// The fields that they share, behind those of their own shape.
    static cell::Fields with_common(cell::Fields own);
    /// Reads those into a table; its signals.
    static void read_common(const cell::Values& v, Table& table, cell::Device& d);
    /// A seat for every nest at every place, as the axis brings the first group of nests there. `nests`: where those
    /// are at value 0, in the device's frame.
    static void add_seats(const Table& table, const std::vector<Frame>& nests, cell::Device& d);

private:
    static std::vector<int> seats_at(const cell::Device& d, int place);
};

}  // namespace escarp::simulation
