#include "application.h"

#include <QSurfaceFormat>
#include <QTimer>
#include <exception>
#include <new>

#include <cell/text/problem.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

void choose_format() {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setDepthBufferSize(24);
    QSurfaceFormat::setDefaultFormat(format);
}

}  // namespace

}  // namespace escarp::desktop

/// The library is a static one: its pictures and the manual have to be asked for.
static void load_pictures() { Q_INIT_RESOURCE(desktop); }

namespace escarp::desktop {

Application::Application(int& argc, char** argv) : QApplication((choose_format(), argc), argv) {
    setApplicationName("escarp");
    setOrganizationName("escarp");
    setStyle("Fusion");
    load_pictures();
    QPalette colours = palette();
    colours.setColor(QPalette::Highlight, theme::accent);
    setPalette(colours);
    setStyleSheet(theme::style_sheet());
}

bool Application::notify(QObject* receiver, QEvent* event) {
    QString words;
    try {
        return QApplication::notify(receiver, event);
    } catch (const cell::InputError& e) {
        const QString why = QString::fromStdString(e.problems().front().where + ": " + e.problems().front().message);
        QTimer::singleShot(0, this, [this, why] { Q_EMIT refused(why); });
        return true;
    } catch (const std::bad_alloc&) {
        words = tr("The machine has not enough memory left for this.");
    } catch (const std::exception& e) {
        words = tr("This did not work (%1).").arg(QString::fromUtf8(e.what()).left(300));
    }
    ++surprises_;
    qWarning("%s", qPrintable(words));
    QTimer::singleShot(0, this, [this, words] { Q_EMIT surprised(words); });
    return true;
}

}  // namespace escarp::desktop
