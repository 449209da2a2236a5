// What tests of the work layer share: a small library and files beside it, made from seeds; a workspace
// driven without a window; what was said.
#pragma once
#include <fmt/format.h>
#include <QDir>
#include <QElapsedTimer>
#include <QFile>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QUndoStack>
#include <QtTest>
#include <filesystem>

#include "app/work/commands.hpp"
#include "app/work/workspace.hpp"
#include "core/base/files.hpp"
#include "core/documents/format.hpp"
#include "core/files/bvh.hpp"
#include "core/library/beside.hpp"
#include "core/library/changes.hpp"
#include "tests/support/test_rigs.hpp"

namespace nb::test {

/// A small body with a short motion, as .bvh text.
inline std::string small_take(std::uint64_t seed, int frames) {
    SkeletonFile body = random_body(seed, {.spine_count = 2, .neck_count = 1});
    body.take = random_motion(body, seed, frames);
    body.take.frame_time_text = "0.0333333";
    body.take.frame_time_s = 1.0 / 30.0;
    body.channels.assign(body.skeleton.names.size(), {});
    return format_bvh(body);
}

/// A library of three bodies and three takes of the first, in `folder`.
inline void make_library(const std::string& folder) {
    const Library library = create_library(folder, "Small quay");
    for (const int n : {1, 2, 3}) {
        const std::string file = folder + fmt::format("/body-{}.bvh", n);
        write_file(file, small_take(std::uint64_t(n), 1));
        add_character(library, file, "", fmt::format("body {}", n));
        std::filesystem::remove(file);
    }
    const std::string character = folder + "/characters/body-1/character.json";
    for (const int n : {1, 2, 3}) {
        SkeletonFile body = random_body(1, {.spine_count = 2, .neck_count = 1});
        body.take = random_motion(body, std::uint64_t(10 + n), 12 + n);
        body.take.frame_time_text = "0.0333333";
        body.take.frame_time_s = 1.0 / 30.0;
        body.channels.assign(body.skeleton.names.size(), {});
        const std::string file = folder + fmt::format("/take-{}.bvh", n);
        write_file(file, format_bvh(body));
        add_take(library, file, character, fmt::format("take {}", n));
        std::filesystem::remove(file);
    }
}

inline void copy_tree(const std::string& from, const std::string& to) {
    std::filesystem::copy(from, to, std::filesystem::copy_options::recursive);
}

inline bool idle(Workspace& workspace, int ms = 20000) {
    QCoreApplication::processEvents();
    QElapsedTimer clock;
    clock.start();
    // Woken by what happens, not by a clock: walks are many.
    while (workspace.is_busy() && clock.elapsed() < ms)
        QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
    return !workspace.is_busy();
}

inline int index_of(const std::vector<Choice>& list, const QString& name) {
    for (size_t i = 0; i < list.size(); ++i)
        if (list[i].name.compare(name, Qt::CaseInsensitive) == 0) return int(i);
    return -1;
}

/// A chain setting that tells one edit from another.
inline ChainTable marked_chains(ChainTable chains, double mark) {
    chains["arm.left"].tip_share = mark;
    return chains;
}
inline Contacts marked_contacts(int frame, double level_m) {
    Contacts contacts;
    contacts.is_by_hand = true;
    contacts.floor.levels_m = {level_m};
    contacts.list = {{"ball.left", frame, frame + 3, ContactKind::stay, level_m}};
    return contacts;
}

class WorkFixture : public QObject {
    Q_OBJECT

  protected:
    QTemporaryDir folder_;
    int sitting_ = 0;
    QString root_;  ///< of one test
    std::unique_ptr<Workspace> workspace_;
    QUndoStack undo_;
    QStringList said_, failed_;

    Workspace& w() { return *workspace_; }
    std::string in(const QString& name) const { return (root_ + "/" + name).toStdString(); }
    QString library() const { return root_ + "/library"; }

    void start() {
        undo_.clear();
        workspace_ = std::make_unique<Workspace>();
        said_.clear();
        failed_.clear();
        connect(&w(), &Workspace::said, this, [this](const QString& line) { said_ << line; });
        connect(&w(), &Workspace::failed, this, [this](const QString& line) { failed_ << line; });
        connect(&w(), &Workspace::changed_by_others, this,
                [this](const QStringList&, const QString& line) { failed_ << line; });
    }
    /// As if the program had been ended from outside: nothing is asked, nothing is written on the way out.
    void crash() {
        w().flush_recovery();
        workspace_.reset();
    }
    void take(const QString& name) { w().choose_take(index_of(w().takes(), name)); }
    void target(const QString& name) { w().choose_target(index_of(w().targets(), name)); }
    void open() {
        w().open_library(library());
        QVERIFY(idle(w()));
        take("take 1");
        target("body 2");
        QVERIFY(idle(w()));
        QVERIFY(w().source() && w().target());
    }
    void mark_target(double mark) {
        undo_.push(new ChangeChains(w(), marked_chains(w().target()->file.character.chains, mark), "mark"));
    }
    void mark_take(int frame, double level_m = 0.0) {
        undo_.push(new ChangeContacts(w(), marked_contacts(frame, level_m), "mark"));
    }
    void mark_pair(double scale) {
        PairingSettings settings = w().settings();
        settings.scale = scale;
        undo_.push(new ChangeSettings(w(), settings, "mark"));
    }
    static Json read(const std::string& path, const char* kind) { return read_document(path, kind); }
    static double mark_of(const std::string& character) {
        const Json document = read_document(character, "character");
        return document.value("chains", Json::object())
            .value("arm.left", Json::object())
            .value("tip_share", 0.0);
    }

    void begin() {
        root_ = folder_.filePath(QString::number(++sitting_));
        QDir().mkpath(root_);
        copy_tree(folder_.filePath("small").toStdString(), library().toStdString());
        start();
    }
    void end() {
        undo_.clear();
        if (workspace_) w().drop_recovery();
        workspace_.reset();
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)).removeRecursively();
    }

  private slots:
    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setApplicationName("nimble-bone-work-" +
                                             QString::number(QCoreApplication::applicationPid()));
        make_library(folder_.filePath("small").toStdString());
    }
    void init() { begin(); }
    void cleanup() { end(); }
};

}  // namespace nb::test
