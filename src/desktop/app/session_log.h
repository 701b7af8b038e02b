#pragma once
// What happened in a session, for whoever has to find out later: what was opened, changed, saved and refused, and what
// took long. Lines in escarp/escarp.log of the state folder (XDG Base Directory), 1 MB at most, and the one before.

#include <desktop/session/open_cell.h>

namespace escarp::desktop {

class SessionLog : public QObject {
    Q_OBJECT
public:
    /// Where it cannot be written there is none. `folder`: of the file, for tests.
    explicit SessionLog(OpenCell& open, const Results& results, QObject* parent = nullptr, const QString& folder = {});
    ~SessionLog() override;

private:
    void changed();
    void computed();
    OpenCell& open_;
    const Results& results_;
    QString file_, edit_;
    std::shared_ptr<const study::Evaluation> slowest_;
};

}  // namespace escarp::desktop
