#include "settle.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QEventLoop>
#include <QTimer>

#include "main_window.h"

namespace escarp::desktop {

bool wait_until(const std::function<bool()>& holds) {
    constexpr qint64 at_most = 600'000;
    QElapsedTimer clock;
    clock.start();
    const auto run = [] {
        QApplication::processEvents(QEventLoop::AllEvents, 5);
        QApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    };
    run();
    while (clock.elapsed() < at_most) {
        if (holds()) {
            for (int round = 0; round < 3; ++round) run();  // what a timer of no time was started for
            if (holds()) return true;
        }
        QEventLoop pause;
        QTimer::singleShot(2, &pause, &QEventLoop::quit);
        pause.exec();
    }
    return false;
}

bool settle(const MainWindow& window, bool every_variant) {
    return wait_until([&] { return window.settled(every_variant); });
}

}  // namespace escarp::desktop
