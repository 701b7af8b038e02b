// escarp: the window.

#include <QCommandLineParser>
#include <csignal>

#include <desktop/session/step_back.h>

#include "application.h"
#include "main_window.h"
#include "session_log.h"
#include "shots.h"

int main(int argc, char** argv) {
    std::signal(SIGXFSZ, SIG_IGN);  // a limit on the size of files is told as any other reason not to write
    escarp::desktop::share_freed_memory();
    escarp::desktop::Application app(argc, argv);
    QApplication::setApplicationVersion(ESCARP_VERSION);
    QCommandLineParser arguments;
    arguments.setApplicationDescription("Escarp: lays out, simulates and checks robot workcells");
    arguments.addHelpOption();
    arguments.addVersionOption();
    arguments.addPositionalArgument("file", "cell file (*.escarp)");
    const QCommandLineOption shots("shots", "Write pictures of the main views into DIR and leave.", "DIR");
    const QCommandLineOption size("size", "Window size for --shots, such as 1920x1080.", "WxH", "1280x800");
    arguments.addOptions({shots, size});
    arguments.process(app);
    escarp::desktop::MainWindow window;
    const escarp::desktop::SessionLog log(window.workspace().open, window.workspace().results);
    QObject::connect(
        &app, &escarp::desktop::Application::surprised, &window, &escarp::desktop::MainWindow::tell_surprise);
    QObject::connect(&app, &escarp::desktop::Application::refused, &window, &escarp::desktop::MainWindow::tell_refused);
    const QStringList files = arguments.positionalArguments();
    if (!files.isEmpty() && !window.open_file(files.first()) && arguments.isSet(shots)) return 2;
    window.show();
    if (files.isEmpty() && !arguments.isSet(shots)) window.files()->offer_unsaved();
    if (arguments.isSet(shots))
        return escarp::desktop::take_shots(window, arguments.value(shots), arguments.value(size));
    return QApplication::exec();
}
