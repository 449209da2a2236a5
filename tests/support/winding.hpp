// Heights of points over triangles by another way than the program's: tests/support/winding.py.
#pragma once
#include <QByteArray>
#include <QProcess>
#include <QString>
#include <nlohmann/json.hpp>
#include <vector>

namespace nb::test {

/// `given`: {"points", "triangles"}; heights in their order, m. Empty when it could not be run, or failed.
inline std::vector<double> heights_by_winding(const nlohmann::json& given) {
    QProcess python;
    python.start("/usr/bin/python3", {NB_SOURCE_DIR "/tests/support/winding.py"});
    if (!python.waitForStarted()) return {};
    python.write(QByteArray::fromStdString(given.dump()));
    python.closeWriteChannel();
    if (!python.waitForFinished(120000) || python.exitCode() != 0) return {};
    return nlohmann::json::parse(python.readAllStandardOutput().toStdString()).get<std::vector<double>>();
}

}  // namespace nb::test
