#pragma once
// Fields over the floor, worked out behind the window: what an arm reaches, and where its base may stand. Whoever draws
// one asks for it; where it is not known yet it is worked out, and `found` tells when it is there.

#include <QObject>
#include <condition_variable>
#include <deque>
#include <map>
#include <memory>
#include <mutex>
#include <set>
#include <thread>

#include <inspection/base_field.h>
#include <study/figures.h>

namespace escarp::desktop {

class FieldsShown : public QObject {
    Q_OBJECT
public:
    explicit FieldsShown(QObject* parent = nullptr);
    ~FieldsShown() override;

    /// Of an arm of a cell, at a height over its base; with the tool straight down, or in one orientation (base frame).
    std::shared_ptr<const kinematics::ReachField> reach(const std::shared_ptr<const cell::Cell>& cell, int arm,
        double height, const std::optional<geometry::Matrix3>& orientation);
    /// Of an arm of an evaluated cell, for a base where it stands there, or as `now` has it.
    std::shared_ptr<const inspection::BaseField> base(
        const std::shared_ptr<const study::Evaluation>& evaluation, int arm, const cell::Device& now);
    /// Nothing that was asked for is still to come.
    bool settled() const { return under_way_.empty(); }

Q_SIGNALS:
    void found();

private:
    struct Field {
        std::shared_ptr<const kinematics::ReachField> reach;
        std::shared_ptr<const inspection::BaseField> base;
    };
    using Work = std::function<Field(const motion::StopFlag&)>;
    struct Job {
        std::uint64_t key;
        Work work;
    };
    /// Null where it is not known yet: then it is worked out before what was asked for earlier.
    const Field* find(std::uint64_t key, Work work);
    void run();

    struct Kept {
        Field field;
        std::uint64_t used = 0;
    };
    std::map<std::uint64_t, Kept> kept_;
    std::uint64_t uses_ = 0;
    std::set<std::uint64_t> under_way_;  ///< asked for and not found yet
    std::mutex lock_;
    std::condition_variable wake_;
    std::deque<Job> waiting_;  ///< the newest first
    bool quit_ = false;
    motion::StopFlag stop_{false};
    std::thread thread_;
};

}  // namespace escarp::desktop
