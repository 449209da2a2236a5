// nimble-bone [LIBRARY or FILES...]: the window.
#include <QApplication>
#include <QSurfaceFormat>

#include "app/main_window.hpp"

int main(int argc, char** argv) {
    QSurfaceFormat format;
    format.setVersion(3, 3);
    format.setProfile(QSurfaceFormat::CoreProfile);
    format.setSamples(0);
    QSurfaceFormat::setDefaultFormat(format);
    QApplication app(argc, argv);
    QApplication::setApplicationName("nimble-bone");
    QApplication::setOrganizationName("nimble-bone");
    nb::MainWindow window;
    window.show();
    window.open_files(app.arguments().mid(1));
    if (argc > 1) window.playback().play(true);
    return QApplication::exec();
}
