// The readers under seeded mutations of valid files: one clear line or a result, no crash, no hang, bounded
// memory. The number of mutations is NB_MUTATIONS (10,000 in the sanitizer build).
#include <sys/resource.h>

#include <QElapsedTimer>
#include <QTemporaryDir>
#include <QtTest>

#include "core/base/fault.hpp"
#include "core/base/files.hpp"
#include "core/base/uuid.hpp"
#include "core/documents/pairing.hpp"
#include "core/files/bvh.hpp"
#include "core/handover/export.hpp"
#include "core/library/library.hpp"
#include "core/motion/edit.hpp"
#include "tests/support/run_test.hpp"
#include "tests/support/test_rigs.hpp"

namespace test_broken_input {

using namespace nb;

namespace {

std::string mutate(std::string text, test::Random& random) {
    const auto below = [&](size_t n) { return size_t(random() % std::max<size_t>(1, n)); };
    static const std::vector<std::string> tokens = {"nan",
                                                    "inf",
                                                    "-inf",
                                                    "1e308",
                                                    "-1e-320",
                                                    "99999999999999999999",
                                                    "{",
                                                    "}",
                                                    "MOTION",
                                                    "JOINT x",
                                                    "End Site",
                                                    "CHANNELS 6",
                                                    "0",
                                                    "-",
                                                    "\"",
                                                    "[",
                                                    "]",
                                                    ",",
                                                    "null",
                                                    "true",
                                                    "\n",
                                                    "\r",
                                                    std::string(1, '\0'),
                                                    "\xff\xfe",
                                                    "OFFSET",
                                                    "1,5",
                                                    "Frames: 4294967296",
                                                    "[[[[[[[[",
                                                    "-1",
                                                    "4294967295"};
    const size_t changes = 1 + below(3);
    for (size_t i = 0; i < changes && !text.empty(); ++i) {
        const size_t at = below(text.size());
        switch (below(7)) {
            case 0:
                text[at] = char(random() & 0xff);
                break;
            case 1:
                text.erase(at, 1 + below(text.size() / 4));
                break;
            case 2:
                text.insert(at, text.substr(below(text.size()), below(400)));
                break;
            case 3:
                text.insert(at, tokens[below(tokens.size())]);
                break;
            case 4:
                text.resize(at);
                break;
            case 5: {
                const std::string& token = tokens[below(tokens.size())];
                text.replace(at, token.size(), token);
                break;
            }
            default:
                text[at] = char(text[at] ^ (1 << below(8)));
        }
    }
    return text;
}

}  // namespace

class BrokenInputTest : public QObject {
    Q_OBJECT
    int count_ =
        qEnvironmentVariableIntValue("NB_MUTATIONS") ? qEnvironmentVariableIntValue("NB_MUTATIONS") : 1500;
    QTemporaryDir folder_;

    template <typename Read>
    void feed(const std::string& valid, std::uint64_t seed, int count, Read&& read) {
        test::Random random(seed);
        int refused = 0;
        for (int n = 0; n < count; ++n) {
            const std::string text = mutate(valid, random);
            QElapsedTimer timer;
            timer.start();
            try {
                read(text);
            } catch (const FileError& error) {
                ++refused;
                const std::string_view message = error.what();
                QVERIFY2(message.find('\n') == std::string_view::npos && message.size() < 700, error.what());
            } catch (const std::exception& error) {
                QFAIL(qPrintable(QString("mutation %1: not a FileError: %2").arg(n).arg(error.what())));
            }
            QVERIFY2(timer.elapsed() < 20000, "hangs");
        }
        QVERIFY2(refused > count / 20, qPrintable(QString("%1 of %2 refused").arg(refused).arg(count)));
    }

  private slots:
    void bvh() {
        SkeletonFile file = read_bvh(test::capture("01_01.bvh"));
        file.take = trim(file.take, 0, 6);
        const std::string valid = format_bvh(file);
        feed(valid, 1, count_ * 4 / 10, [](const std::string& text) { load_bvh(text, "m.bvh"); });
    }
    void glb() {
        const LoadedFile source = load_file(test::demo("takes/quay-walk.bvh"));
        const LoadedFile target = load_file(test::rig("ferrier/rig.glb"));
        LoadedFile cut = source;
        cut.take = trim(*source.take, 0, 5);
        const std::string whole = folder_.filePath("whole.glb").toStdString();
        export_take(whole, target.character, test::carry(cut, target).take);
        const std::string path = folder_.filePath("m.glb").toStdString();
        feed(read_file(whole), 2, count_ * 3 / 10, [&](const std::string& text) {
            write_file(path, text);
            load_file(path);
        });
    }
    void gltf_text() {
        // The JSON part alone, as .gltf with its numbers in the text.
        const std::string bytes = read_file(test::rig("ferrier/rig.glb"));
        const std::string json = bytes.substr(20, bytes.find_last_of('}') - 19);
        const std::string path = folder_.filePath("m.gltf").toStdString();
        feed(json, 3, count_ / 10, [&](const std::string& text) {
            write_file(path, text);
            load_file(path);
        });
    }
    void documents() {
        const std::string character = read_file(test::rig("dockhand/character.json"));
        const std::string path = folder_.filePath("m.json").toStdString();
        feed(character, 4, count_ / 10, [&](const std::string& text) {
            write_file(path, text);
            std::vector<std::string> notes;
            load_character(test::rig("dockhand/rig.bvh"), path, notes);
        });
        const std::string take = read_file(test::demo("takes/quay-walk.take.json"));
        QFile::copy(QString::fromStdString(test::demo("takes/quay-walk.bvh")),
                    folder_.filePath("quay-walk.bvh"));
        const std::string take_path = folder_.filePath("m.take.json").toStdString();
        feed(take, 5, count_ / 20, [&](const std::string& text) {
            write_file(take_path, text);
            std::vector<std::string> notes;
            load_take(take_path, "", notes);
        });
        Pairing pairing;
        pairing.id = make_uuid();
        const std::string valid = format_document(pairing_document(pairing));
        feed(valid, 6, count_ / 20, [&](const std::string& text) {
            write_file(path, text);
            read_pairing(read_document(path, "pairing"), path);
        });
    }
    void what_loads_can_be_carried() {
        // Mutated numbers that are still a body go through the whole transfer without a number that is none.
        SkeletonFile file = read_bvh(test::capture("01_01.bvh"));
        file.take = trim(file.take, 0, 6);
        const std::string valid = format_bvh(file);
        const LoadedFile target = load_file(test::rig("lamp-child/rig.bvh"));
        test::Random random(7);
        int carried = 0;
        for (int n = 0; n < count_ / 10; ++n) {
            LoadedFile source;
            try {
                source = load_bvh(mutate(valid, random), "m.bvh");
                if (!source.take) continue;
                const TransferResult result = test::carry(source, target);
                for (const Vec3& p : result.target.p) QVERIFY(p.allFinite());
                for (const Quat& R : result.take.R) QVERIFY(R.coeffs().allFinite());
                ++carried;
            } catch (const FileError&) {
            }
        }
        QVERIFY2(carried > count_ / 200, qPrintable(QString::number(carried)));
    }
    void memory_stays_bounded() {
        rusage usage{};
        getrusage(RUSAGE_SELF, &usage);
        QVERIFY2(usage.ru_maxrss < 3 * 1024 * 1024, qPrintable(QString("%1 kB").arg(usage.ru_maxrss)));
    }
};

NB_TEST(BrokenInputTest)
}  // namespace test_broken_input
#include "test_broken_input.moc"
