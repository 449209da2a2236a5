// What tests of the window share: a window on a copy of the demo library, settled; drops; widgets by name.
#pragma once
#include <QCheckBox>
#include <QDir>
#include <QDropEvent>
#include <QMimeData>
#include <QTemporaryDir>
#include <QtTest>

#include "app/stage/stage_view.hpp"
#include "app/window/main_window.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace nb::test {

inline void copy_folder(const QString& from, const QString& to) {
    QDir().mkpath(to);
    for (const QFileInfo& entry : QDir(from).entryInfoList(QDir::AllEntries | QDir::NoDotAndDotDot))
        entry.isDir() ? copy_folder(entry.filePath(), to + "/" + entry.fileName())
                      : void(QFile::copy(entry.filePath(), to + "/" + entry.fileName()));
}

class WindowFixture : public QObject {
    Q_OBJECT

  protected:
    QTemporaryDir folder_;
    std::unique_ptr<MainWindow> window_;

    MainWindow& w() { return *window_; }
    /// Before each test, the library is there and no window yet.
    virtual void before_window() {}
    QString library() const { return folder_.filePath("library"); }

    bool settled() {
        return QTest::qWaitFor(
            [this] { return !w().workspace().is_busy() && w().workspace().review() != nullptr; }, 20000);
    }
    bool choose_take(const QString& name) {
        const auto& takes = w().workspace().takes();
        for (size_t i = 0; i < takes.size(); ++i)
            if (takes[i].name == name) {
                w().workspace().choose_take(int(i));
                return settled();
            }
        return false;
    }
    bool choose_target(const QString& name) {
        const auto& targets = w().workspace().targets();
        for (size_t i = 0; i < targets.size(); ++i)
            if (targets[i].name == name) {
                w().workspace().choose_target(int(i));
                return settled();
            }
        return false;
    }
    QImage stage_picture() {
        QTest::qWait(50);
        return w().stage().grabFramebuffer();
    }
    void drop(const QStringList& paths, const QPoint& at = {400, 300}) {
        QMimeData data;
        QList<QUrl> urls;
        for (const QString& path : paths) urls << QUrl::fromLocalFile(path);
        data.setUrls(urls);
        QDragEnterEvent enter(at, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&w(), &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent event(QPointF(at), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(&w(), &event);
    }
    /// Presses, moves in steps and releases, as a hand drags.
    static void drag(QWidget& over, const QPoint& from, const QPoint& to) {
        QTest::mousePress(&over, Qt::LeftButton, {}, from);
        for (int i = 1; i <= 4; ++i) {
            const QPoint at = from + (to - from) * i / 4;
            QMouseEvent move(QEvent::MouseMove, QPointF(at), over.mapToGlobal(QPointF(at)), Qt::NoButton,
                             Qt::LeftButton, Qt::NoModifier);
            QApplication::sendEvent(&over, &move);
        }
        QTest::mouseRelease(&over, Qt::LeftButton, {}, to);
    }
    template <typename Widget>
    Widget* named(const QString& accessible_name) {
        for (auto* widget : w().findChildren<Widget*>())
            if (widget->accessibleName() == accessible_name) return widget;
        return nullptr;
    }
    QCheckBox* box(const QString& text) {
        for (auto* widget : w().findChildren<QCheckBox*>())
            if (widget->text().startsWith(text)) return widget;
        return nullptr;
    }
    QPushButton* button(const QString& text) {
        for (auto* widget : w().findChildren<QPushButton*>())
            if (widget->text() == text) return widget;
        return nullptr;
    }

  private slots:
    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setApplicationName("nimble-bone-test");
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)).removeRecursively();
        QSettings().clear();
    }
    void init() {
        QDir(library()).removeRecursively();
        copy_folder(QString::fromStdString(test::demo("")), library());
        // What somebody handed over from the tree's own library.
        QDir(library() + "/handed-over").removeRecursively();
        before_window();
        window_ = std::make_unique<MainWindow>();
        w().stage().setProperty("is_coarse", true);
        w().show();
        QVERIFY(QTest::qWaitForWindowExposed(&w()));
        w().activateWindow();
        w().open_files({library()});
        QVERIFY(settled());
    }
    void cleanup() {
        if (window_) w().workspace().drop_recovery();
        window_.reset();
    }
};

/// An application of the window's tests: the format of the stage must be set before the first window.
class WindowApplication {
  public:
    WindowApplication(int& argc, char** argv) : app_(with_format(argc), argv) {}

  private:
    QApplication app_;
    static int& with_format(int& argc) {
        QSurfaceFormat format;
        format.setVersion(3, 3);
        format.setProfile(QSurfaceFormat::CoreProfile);
        QSurfaceFormat::setDefaultFormat(format);
        return argc;
    }
};

}  // namespace nb::test
