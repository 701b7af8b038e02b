#define CATCH_CONFIG_RUNNER
#include <QSettings>
#include <QTemporaryDir>
#include <catch2/catch.hpp>

#include <desktop/app/application.h>
#include <geometry/work_done.h>

#include "paints.h"

namespace {

/// Counts what is worked out while something paints.
class WatchedApplication : public escarp::desktop::Application {
public:
    using Application::Application;
    bool notify(QObject* receiver, QEvent* event) override {
        if (event->type() != QEvent::Paint) return Application::notify(receiver, event);
        const std::uint64_t before = escarp::geometry::work_done;
        const bool taken = Application::notify(receiver, event);
        escarp::tests::paints().add(receiver, escarp::geometry::work_done - before);
        return taken;
    }
};

}  // namespace

int main(int argc, char** argv) {
    const QTemporaryDir home;  // settings of the tests stay out of the user's
    qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
    qputenv("XDG_STATE_HOME", (home.path() + "/state").toUtf8());
    qputenv("XDG_DATA_HOME", (home.path() + "/data").toUtf8());
    WatchedApplication app(argc, argv);
    QApplication::setOrganizationName("escarp-tests");
    const int failed = Catch::Session().run(argc, argv);
    if (app.surprises()) std::fprintf(stderr, "%d exceptions came out of event handlers\n", app.surprises());
    return failed ? failed : app.surprises();
}
