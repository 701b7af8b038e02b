#pragma once
// A study that is asked behind the window: on all cores but one, points as they come, stopped and gone on with.

#include <QObject>
#include <atomic>
#include <mutex>
#include <thread>

#include <study/ask.h>

namespace escarp::desktop {

class StudyWorker : public QObject {
    Q_OBJECT
public:
    explicit StudyWorker(QObject* parent = nullptr);
    ~StudyWorker() override;
    /// `results`: the file in which runs are kept and found; empty: as long as the program lives. `only_found`: nothing
    /// is run. What was under way is stopped first.
    void ask(const cell::Layout& layout, const cell::Study& study, const QString& results, bool only_found = false);
    void stop();  ///< what was run is kept
    bool busy() const { return busy_; }
    double share() const { return share_; }
    double seconds_left() const;
    /// Points that came since this was asked last.
    std::vector<study::Tried> news();

Q_SIGNALS:
    void moved();
    void answered(std::shared_ptr<const escarp::study::Answered> answer);
    void stopped();
    void failed(const QString& where, const QString& why);

private:
    void end();
    std::thread thread_;
    int serial_ = 0;
    motion::StopFlag stop_{false};
    std::atomic<bool> busy_ = false, told_ = false;
    std::atomic<double> share_ = 0;
    std::chrono::steady_clock::time_point began_;
    std::mutex lock_;
    std::vector<study::Tried> news_;
    std::unique_ptr<study::Results> results_;
    QString results_file_;
};

}  // namespace escarp::desktop
