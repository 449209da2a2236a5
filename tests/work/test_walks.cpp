// Long tests of the work layer. Random walks: whatever is opened, edited, undone, renamed, laid aside,
// re-read, broken, cancelled and saved, no edit reaches another document. Three programs on one library: what
// was said to be saved is on disk. Programs killed at any moment: what was saved stands, what was not is
// offered again.
//
// NB_WALKS: number of walks (50); NB_PAIR_S: seconds of three programs (3); NB_KILLS: programs killed (8).
#include <QDirIterator>
#include <QElapsedTimer>
#include <QProcess>
#include <QTextStream>
#include <csignal>
#include <random>

#include "tests/work/work_fixture.hpp"

using namespace nb;
using namespace nb::test;

namespace {

int number_from(const char* name, int otherwise) {
    return qEnvironmentVariableIsSet(name) ? qEnvironmentVariableIntValue(name) : otherwise;
}

double chain_mark(const ChainTable& chains) {
    const auto at = chains.find("arm.left");
    return at == chains.end() ? 0.0 : at->second.tip_share.value_or(0.0);
}
double contact_mark(const Contacts& contacts) {
    return contacts.list.empty() ? 0.0 : contacts.list.front().level_m;
}

/// What a document on disk says of the edits of a walk; 0: none.
double mark_on_disk(const QString& path) {
    if (!QFile::exists(path)) return 0.0;
    const std::string name = path.toStdString();
    const Json document = Json::parse(read_file(name));
    const std::string format = document.at("format").get<std::string>();
    if (format == "nimble-bone/character")
        return document.value("chains", Json::object())
            .value("arm.left", Json::object())
            .value("tip_share", 0.0);
    if (format == "nimble-bone/take")
        return document.at("contacts").empty() ? 0.0 : document.at("contacts")[0].at("level_m").get<double>();
    return document.at("scale").is_number() ? document.at("scale").get<double>() : 0.0;
}

/// One edit of what is on the stage, told from all others by its number.
enum class Edited { nothing, target, take, pair };
Edited edit_something(Workspace& w, QUndoStack& undo, int kind, int number) {
    const double mark = 0.001 * (1 + number % 900);
    if (kind == 0 && w.target()) {
        undo.push(new ChangeChains(w, marked_chains(w.target()->file.character.chains, mark), "mark"));
        return Edited::target;
    }
    if (kind == 1 && w.source() && !w.is_limbering()) {
        undo.push(new ChangeContacts(w, marked_contacts(number % 5, mark), "mark"));
        return Edited::take;
    }
    if (kind == 2 && w.source() && w.target() && !w.is_limbering()) {
        PairingSettings settings = w.settings();
        settings.scale = mark + 0.5;
        undo.push(new ChangeSettings(w, settings, "mark"));
        return Edited::pair;
    }
    return Edited::nothing;
}

}  // namespace

class WalksTest : public WorkFixture {
    Q_OBJECT

    double mark_in_work(const DocumentKey& key) {
        const LoadedPtr body = w().body(key);
        if (!body) return -1.0;
        return key.kind == DocumentKey::Kind::character ? chain_mark(body->file.character.chains)
                                                        : contact_mark(body->file.contacts_in_file);
    }

    QStringList all_documents() {
        QStringList found;
        QDirIterator it(root_, {"*.json"}, QDir::Files | QDir::Hidden, QDirIterator::Subdirectories);
        while (it.hasNext()) {
            const QString path = it.next();
            if (path.endsWith("character.json") || path.endsWith(".take.json") ||
                path.contains("/pairings/") || path.endsWith(".pairing.json"))
                found << path;
        }
        return found;
    }

    /// A line a step, for reading a walk that went wrong.
    void trace(int step, int what) {
        QStringList line{QString("step %1 did %2:").arg(step).arg(what)};
        for (const bool of_target : {false, true})
            if (w().body(of_target)) {
                const DocumentKey key = w().key(of_target);
                line << QString(of_target ? "target %1 (%2)" : "take %1 (%2)")
                            .arg(QString::fromStdString(key.path).mid(root_.size()))
                            .arg(mark_in_work(key));
            }
        for (const Drafts::Unsaved& one : w().unsaved())
            line << "not saved " + QString::fromStdString(one.document).mid(root_.size());
        for (const QString& path : all_documents())
            if (const double mark = mark_on_disk(path); mark != 0.0)
                line << QString("%1 holds %2").arg(path.mid(root_.size())).arg(mark);
        if (!undo_.text(undo_.index() - 1).isEmpty()) line << "last " + undo_.text(undo_.index() - 1);
        qInfo().noquote() << line.join("\n    ");
    }

    void walk(int seed) {
        std::mt19937 random(static_cast<unsigned>(seed));
        const auto pick = [&](int n) { return int(random() % unsigned(n)); };
        open();
        int number = seed * 7;
        for (int step = 0; step < 14; ++step) {
            const int what = pick(20);
            if (what < 7) {
                edit_something(w(), undo_, pick(3), ++number);
            } else if (what < 9) {
                w().choose_target(pick(std::max(1, int(w().targets().size()))));
            } else if (what < 11) {
                w().choose_take(pick(std::max(1, int(w().takes().size()))));
            } else if (what == 11) {
                undo_.undo();
            } else if (what == 12) {
                undo_.redo();
            } else if (what == 13) {
                w().open_file(root_ + (pick(2) ? "/own/broken.bvh" : "/own/one.bvh"), pick(2));
            } else if (what == 14) {
                w().cancel();
            } else if (what == 15) {
                const bool is_character = pick(2);
                const auto& list = is_character ? w().targets() : w().takes();
                if (!list.empty()) {
                    const Choice choice = list[size_t(pick(int(list.size())))];
                    if (choice.is_of_library)
                        undo_.push(new ChangeLibrary(w(), ChangeLibrary::Kind::rename, choice, is_character,
                                                     QString("name %1").arg(++number)));
                }
            } else if (what == 16) {
                const bool is_character = pick(2);
                const auto& list = is_character ? w().targets() : w().takes();
                if (list.size() > 1) {
                    const Choice choice = list[size_t(pick(int(list.size())))];
                    if (choice.is_of_library)
                        undo_.push(
                            new ChangeLibrary(w(), ChangeLibrary::Kind::remove, choice, is_character, {}));
                }
            } else if (what == 17 && w().source() && !w().is_limbering()) {
                LoadOptions options = w().intake(w().key(false));
                options.trim_first = pick(3);
                undo_.push(new ChangeIntake(w(), false, options, "trim"));
            } else if (what == 18) {
                w().save();
            } else if (what == 19 && !w().unsaved().empty()) {
                w().save_one(w().unsaved().front().key);
            }
            if (pick(4)) QVERIFY(idle(w()));
            if (qEnvironmentVariableIsSet("NB_TRACE")) trace(step, what);
            // A document holds what its draft has, once it is saved; nothing else has changed it.
            if (what >= 18 && !w().is_busy()) check_saved(seed, step);
        }
        QVERIFY(idle(w()));
        w().save();
        check_saved(seed, 99);
        QVERIFY2(!w().has_unsaved_changes() || !failed_.isEmpty(), qPrintable(QString::number(seed)));
    }

    /// The edits of every draft stand where they were made: each mark of the undo stack's documents is either
    /// in its own document or unsaved, and no mark stands in two documents.
    void check_saved(int seed, int step) {
        std::map<double, QString> seen;
        for (const QString& path : all_documents()) {
            const double mark = mark_on_disk(path);
            if (mark == 0.0) continue;
            const auto [at, is_new] = seen.try_emplace(mark, path);
            QVERIFY2(is_new, qPrintable(QString("seed %1 step %2: mark %3 in %4 and %5")
                                            .arg(seed)
                                            .arg(step)
                                            .arg(mark)
                                            .arg(at->second, path)));
        }
        // What is on the stage and counts as saved is on disk as it is in the work.
        for (const bool of_target : {false, true}) {
            if (!w().body(of_target) || w().is_limbering()) continue;
            const DocumentKey key = w().key(of_target);
            const auto unsaved = w().unsaved();
            if (std::any_of(unsaved.begin(), unsaved.end(), [&](const auto& one) { return one.key == key; }))
                continue;
            const QString path = QString::fromStdString(key.path);
            const QString document =
                of_target ? QString::fromStdString(character_document_beside(key.path))
                          : QString::fromStdString(take_document_beside(key.path, key.animation));
            const double there = document.isEmpty() ? 0.0 : mark_on_disk(document);
            QVERIFY2(std::abs(there - mark_in_work(key)) < 1e-9 ||
                         (!of_target && std::abs(there) > 0 && mark_in_work(key) != 0.0 &&
                          std::abs(there - unit_of(key) * mark_in_work(key)) < 1e-9),
                     qPrintable(QString("seed %1 step %2: %3 holds %4, the work %5")
                                    .arg(seed)
                                    .arg(step)
                                    .arg(path)
                                    .arg(there)
                                    .arg(mark_in_work(key))));
        }
    }
    double unit_of(const DocumentKey& key) { return w().body(key)->file.character.rig.conventions.unit_m; }

    QProcess* sitting(const QStringList& arguments) {
        auto* process = new QProcess(this);
        process->setProcessChannelMode(QProcess::ForwardedErrorChannel);
        process->start(QCoreApplication::applicationFilePath(), QStringList{"--sitting"} + arguments);
        return process;
    }
    static QStringList lines_of(const QString& path) {
        QFile file(path);
        if (!file.open(QFile::ReadOnly)) return {};
        return QString::fromUtf8(file.readAll()).split('\n', Qt::SkipEmptyParts);
    }

    /// What the last session left, by the document it belongs to.
    std::map<QString, double> marks_left() {
        std::map<QString, double> marks;
        const QString unsaved =
            QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/unsaved";
        QDirIterator it(unsaved, {"*.json"}, QDir::Files, QDirIterator::Subdirectories);
        while (it.hasNext()) {
            const Json left = read(it.next().toStdString(), "unsaved");
            const Json& of = left.at("of");
            const QString path = QString::fromStdString(of.at("path").get<std::string>());
            const std::string kind = of.at("kind").get<std::string>();
            if (kind == "character")
                marks[QFileInfo(path).dir().filePath("character.json")] =
                    left.value("chains", Json::object())
                        .value("arm.left", Json::object())
                        .value("tip_share", 0.0);
            else if (kind == "take")
                marks[QString(path).replace(".bvh", ".take.json")] =
                    left.contains("contacts") ? left.at("contacts")[0].at("level_m").get<double>() : 0.0;
            else
                marks[path + "/" +
                      QString::fromStdString(pairing_id(of.at("source").get<std::string>(),
                                                        of.at("target").get<std::string>())) +
                      ".json"] = left.at("pairing").at("scale").get<double>();
        }
        return marks;
    }

  private slots:
    void no_edit_reaches_another_document() {
        const int walks = number_from("NB_WALKS", 50);
        const int first = number_from("NB_SEED", 1);
        for (int seed = first; seed < first + walks; ++seed) {
            if (seed > first) {
                end();
                QDir(root_).removeRecursively();
                begin();
            }
            QDir().mkpath(root_ + "/own");
            write_file(in("own/one.bvh"), small_take(31, 6));
            write_file(in("own/broken.bvh"), "HIERARCHY\nROOT a\n{\nOFFSET 0 0 nan\n}\n");
            walk(seed);
            if (QTest::currentTestFailed()) {
                qWarning() << "walk" << seed;
                return;
            }
        }
    }

    /// Three programs edit and save the same documents: each save that was said to be done is on disk until a
    /// later one, and no document holds what nobody saved.
    void three_programs_on_one_library() {
        constexpr int count_of_programs = 3;
        const int seconds = number_from("NB_PAIR_S", 3);
        std::vector<QProcess*> programs;
        for (int n = 0; n < count_of_programs; ++n)
            programs.push_back(sitting({library(), QString::number(100 + n),
                                        root_ + QString("/log-%1").arg(n), QString::number(seconds * 1000)}));
        for (QProcess* program : programs) {
            QVERIFY(program->waitForFinished(seconds * 1000 + 60000));
            QCOMPARE(program->exitStatus(), QProcess::NormalExit);
            QCOMPARE(program->exitCode(), 0);
        }
        // By document: the saves in the order of their times; the last one is what stands.
        struct Save {
            qint64 at;
            double mark;
        };
        std::map<QString, std::vector<Save>> saves;
        int told = 0;
        for (int n = 0; n < count_of_programs; ++n)
            for (const QString& line : lines_of(root_ + QString("/log-%1").arg(n))) {
                const QStringList words = line.split('\t');
                if (words[0] == "saved")
                    saves[words[3]].push_back({words[1].toLongLong(), words[2].toDouble()});
                told += words[0] == "refused";
            }
        size_t count = 0;
        for (auto& [document, list] : saves) {
            std::sort(list.begin(), list.end(), [](const Save& a, const Save& b) { return a.at < b.at; });
            count += list.size();
            QVERIFY2(std::abs(mark_on_disk(document) - list.back().mark) < 1e-9,
                     qPrintable(QString("%1 holds %2, the last save was %3")
                                    .arg(document)
                                    .arg(mark_on_disk(document))
                                    .arg(list.back().mark)));
        }
        qInfo() << count << "saves," << told << "refused and told";
        QVERIFY(count > 5);
    }

    void killed_at_any_moment() {
        const int kills = number_from("NB_KILLS", 8);
        std::mt19937 random(5);
        int recovered = 0;
        for (int n = 0; n < kills; ++n) {
            const QString log = root_ + QString("/kill-%1").arg(n);
            QProcess* program = sitting({library(), QString::number(500 + n), log, "60000"});
            // A moment between its start and some seconds of work.
            QVERIFY(QTest::qWaitFor([&] { return !lines_of(log).isEmpty(); }, 20000));
            QTest::qWait(int(random() % 2500));
            ::kill(pid_t(program->processId()), SIGKILL);
            QVERIFY(program->waitForFinished(10000));
            delete program;
            // Each document parses and holds a state that was saved, or was being saved when it ended.
            std::map<QString, QStringList> states;
            struct Edit {
                double mark;
                qint64 at;
            };
            std::map<QString, std::vector<Edit>> edits;  // since the last save
            qint64 last = 0;
            for (int before = 0; before <= n; ++before)
                for (const QString& line : lines_of(root_ + QString("/kill-%1").arg(before))) {
                    const QStringList words = line.split('\t');
                    if (words.size() < 4) continue;  // cut off by the kill
                    if (words[0] == "saving" || words[0] == "saved") states[words[3]] << words[2];
                    if (words[0] == "saved" || words[0] == "refused") edits[words[3]].clear();
                    if (words[0] == "edited" && before == n)
                        edits[words[3]].push_back({words[2].toDouble(), words[1].toLongLong()});
                    if (before == n) last = words[1].toLongLong();
                }
            for (const auto& [document, marks] : states) {
                const double mark = mark_on_disk(document);
                QVERIFY2(mark == 0.0 || std::any_of(marks.begin(), marks.end(),
                                                    [&](const QString& one) {
                                                        return std::abs(one.toDouble() - mark) < 1e-9;
                                                    }),
                         qPrintable(QString("%1 holds %2, which was never saved").arg(document).arg(mark)));
            }
            // What has been unsaved for half a second or more when it ended is offered again, as it was
            // within that half second.
            start();
            const std::map<QString, double> offered = marks_left();
            for (const auto& [document, made] : edits) {
                if (made.empty() || last - made.front().at < 500) continue;
                if (std::abs(mark_on_disk(document) - made.back().mark) < 1e-9)
                    continue;  // killed as it was saved
                const auto at = offered.find(document);
                QVERIFY2(
                    at != offered.end(),
                    qPrintable(
                        QString("kill %1: %2 of %3 is lost").arg(n).arg(made.back().mark).arg(document)));
                bool is_recent = false;
                for (size_t e = 0; e < made.size(); ++e)
                    is_recent |= std::abs(made[e].mark - at->second) < 1e-9 &&
                                 (e + 1 == made.size() || last - made[e + 1].at < 500);
                QVERIFY2(
                    is_recent,
                    qPrintable(QString("kill %1: %2 offered of %3").arg(n).arg(at->second).arg(document)));
                ++recovered;
            }
            // Nothing half made stands in the library's way.
            const Library now = open_library(library().toStdString());
            QCOMPARE(now.characters.size(), 3u);
            QCOMPARE(now.takes.size(), 3u);
            w().drop_recovery();
            workspace_.reset();
            QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation)).removeRecursively();
        }
        qInfo() << kills << "programs killed," << recovered << "unsaved documents offered again";
        start();
    }
};

namespace {

/// A sitting of a program of its own: edits and saves at random, and writes down what it did.
int sit(const QStringList& arguments) {
    const QString library = arguments[0];
    std::mt19937 random(arguments[1].toUInt());
    QFile log(arguments[2]);
    if (!log.open(QFile::WriteOnly)) return 2;
    QElapsedTimer clock;
    clock.start();
    const auto note = [&](const char* what, double mark, const QString& document) {
        QTextStream(&log) << what << '\t' << QDateTime::currentMSecsSinceEpoch() << '\t' << mark << '\t'
                          << document << '\n';
        log.flush();
    };
    Workspace w;
    QUndoStack undo;
    w.open_library(library);
    if (!idle(w)) return 3;
    const auto document_of = [](const Drafts::Unsaved& unsaved) {
        return QString::fromStdString(unsaved.document);
    };
    const auto mark_of_draft = [&](const DocumentKey& key) {
        if (key.kind == DocumentKey::Kind::pairing) return w.settings().scale.value_or(0.0);
        const LoadedPtr body = w.body(key);
        return key.kind == DocumentKey::Kind::character
                   ? chain_mark(body->file.character.chains)
                   : body->file.character.rig.conventions.unit_m * contact_mark(body->file.contacts_in_file);
    };
    note("begun", 0, "-");
    int number = int(arguments[1].toUInt()) * 37;
    const bool saves_seldom = arguments[1].toUInt() >= 500;
    while (clock.elapsed() < arguments[3].toInt()) {
        const int what = int(random() % unsigned(saves_seldom ? 30 : 10));
        if (what < 5 || what >= 10) {
            const Edited edited = edit_something(w, undo, int(random() % 3), ++number);
            for (const Drafts::Unsaved& unsaved : w.unsaved()) {
                const bool is_it = edited == Edited::target ? unsaved.key == w.key(true)
                                   : edited == Edited::take ? unsaved.key == w.key(false)
                                                            : unsaved.key == w.pairing_key();
                if (edited != Edited::nothing && is_it)
                    note("edited", mark_of_draft(unsaved.key), document_of(unsaved));
            }
        } else if (what < 7) {
            if (w.unsaved().empty()) {
                (random() % 2) ? w.choose_target(int(random() % 3)) : w.choose_take(int(random() % 3));
                idle(w);
            }
        } else {
            for (const Drafts::Unsaved& unsaved : w.unsaved()) {
                if (unsaved.key.kind == DocumentKey::Kind::pairing && unsaved.key != w.pairing_key())
                    continue;
                const double mark = mark_of_draft(unsaved.key);
                note("saving", mark, document_of(unsaved));
                if (w.save_one(unsaved.key)) {
                    note("saved", mark, document_of(unsaved));
                } else {
                    note("refused", mark, document_of(unsaved));
                    // Somebody else was first: theirs is taken, as a person would.
                    w.take_theirs(document_of(unsaved));
                    idle(w);
                }
            }
        }
        QCoreApplication::processEvents();
        QTest::qWait(int(random() % 25));
    }
    w.drop_recovery();
    return 0;
}

}  // namespace

int main(int argc, char** argv) {
    QCoreApplication app(argc, argv);
    if (argc > 2 && qstrcmp(argv[1], "--sitting") == 0) {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setApplicationName(qEnvironmentVariable("NB_SITTING"));
        return sit(app.arguments().mid(2));
    }
    WalksTest test;
    qputenv("NB_SITTING",
            ("nimble-bone-work-" + QString::number(QCoreApplication::applicationPid())).toUtf8());
    return QTest::qExec(&test, argc, argv);
}

#include "core/base/files.hpp"
#include "core/documents/format.hpp"
#include "test_walks.moc"
