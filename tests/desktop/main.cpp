#define CATCH_CONFIG_RUNNER
#include <QSettings>
#include <QTemporaryDir>
#include <catch2/catch.hpp>

#include <desktop/app/application.h>

int main(int argc, char** argv) {
    const QTemporaryDir home;  // settings of the tests stay out of the user's
    qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
    qputenv("XDG_STATE_HOME", (home.path() + "/state").toUtf8());
    qputenv("XDG_DATA_HOME", (home.path() + "/data").toUtf8());
    escarp::desktop::Application app(argc, argv);
    QApplication::setOrganizationName("escarp-tests");
    const int failed = Catch::Session().run(argc, argv);
    if (app.surprises()) std::fprintf(stderr, "%d exceptions came out of event handlers\n", app.surprises());
    return failed ? failed : app.surprises();
}
