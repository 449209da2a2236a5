// nimble-bone [LIBRARY or FILES...]: the window.
#include <QApplication>
#include <QSurfaceFormat>

#include "app/window/main_window.hpp"
#include "core/files/scene/child.hpp"

int main(int argc, char** argv) {
    int read_apart = 0;
    if (nb::serve_scene_reader(argc, argv, read_apart)) return read_apart;
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
    // What is given to open moves as soon as it is there.
    QObject::connect(
        &window.workspace(), &nb::Workspace::result_changed, &window,
        [&window] { window.playback().play(true); }, Qt::SingleShotConnection);
    return QApplication::exec();
}
