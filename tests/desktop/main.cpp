#define CATCH_CONFIG_RUNNER
#include <catch2/catch.hpp>

#include <QApplication>
#include <QSettings>
#include <QSurfaceFormat>
#include <QTemporaryDir>

#include <desktop/theme.h>

int main(int argc, char** argv) {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    QSurfaceFormat::setDefaultFormat(format);
    const QTemporaryDir home;  // settings of the tests stay out of the user's
    qputenv("XDG_CONFIG_HOME", home.path().toUtf8());
    qputenv("XDG_STATE_HOME", (home.path() + "/state").toUtf8());
    qputenv("XDG_DATA_HOME", (home.path() + "/data").toUtf8());
    QApplication app(argc, argv);
    QApplication::setApplicationName("escarp");
    QApplication::setOrganizationName("escarp-tests");
    app.setStyle("Fusion");
    app.setStyleSheet(escarp::desktop::theme::style_sheet());
    return Catch::Session().run(argc, argv);
}
