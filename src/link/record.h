#pragma once
// What a live run heard and did, with times, in a file of its own: it is looked at, compared with the computed run, and
// run again to the same bits.

#include <memory>

#include <exchange/measured_csv.h>

#include "live_run.h"

namespace escarp::link {

/// The run's clock and all of its signals, as they changed.
struct SignalChange {
    Ticks when;
    int signal;
    double value;
};

struct RecordAbout {
    std::string cell_name, variant, content;  ///< content: key of everything in the cell that figures depend on
    cell::json tree;                          ///< the variant, resolved: all that is needed to run it again
    std::string began;                        ///< date and time
    double rate = 1;
    bool lock_step = false;
    Ticks end = 0;
    bool finished = false;  ///< else the program ended before the run did; what came until then is there
};

struct Record {
    RecordAbout about;
    std::vector<std::string> signals;  ///< full names
    std::vector<Heard> heard;
    std::vector<SignalChange> changes;
};

/// Writes while the run goes on, from a thread of its own: within a second what happened is on the disk. A file that is
/// there is replaced only if it is a record.
class RecordWriter final : public simulation::RunObserver {
public:
    /// Throws InputError.
    RecordWriter(const std::string& file, const RecordAbout& about, const cell::Cell& cell);
    ~RecordWriter() override;
    void attach(LiveOptions& options);  ///< of the run that is to be recorded
    void begun(const simulation::Kernel& kernel) override { happened(kernel); }
    void happened(const simulation::Kernel& kernel) override;
    /// That it is over. Throws InputError where it cannot be written.
    void finish(const LiveRun& run);

private:
    class Work;
    std::unique_ptr<Work> work_;
};

/// Throws InputError: no record, a damaged one.
Record read_record(const std::string& file);
/// The file beside a cell file: "press.escarp" has "press.record".
std::string record_beside(const std::string& cell_file);

/// The cell that was run. Throws InputError.
std::shared_ptr<const cell::Cell> cell_of(const Record& record);
/// Run again without the outside: what was heard is fed in at the same instants.
std::shared_ptr<const simulation::Run> run_again(const Record& record, const cell::Cell& cell);
/// The first change that is not the same; nullopt: every one is.
std::optional<std::string> first_difference(const Record& record, const simulation::Run& again);

/// Where an arm that followed was said to be.
study::Measured heard_of(const Record& record, int device);
/// Columns "t_s", then each signal; a line for each instant at which any changed.
std::string record_csv(const Record& record);

}  // namespace escarp::link
