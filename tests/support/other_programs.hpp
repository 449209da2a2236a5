// Other programs that tests are checked against: reference readers of the npm registry, python with numpy and scipy.
#pragma once
#include <QFile>
#include <QProcess>
#include <QStringList>

namespace nb::test {

/// What a program prints; what it says of errors is shown when it ends badly. `code`: its exit code; may be null.
inline QByteArray run_program(const QString& program, const QStringList& arguments, int* code = nullptr) {
    QProcess process;
    process.start(program, arguments);
    process.waitForFinished(120000);
    if (code) *code = process.exitCode();
    if (process.exitCode() != 0) qWarning("%s", process.readAllStandardError().constData());
    return process.readAllStandardOutput();
}

/// A script of tests/node, by its name, with its arguments.
inline QByteArray run_node(const QStringList& arguments, int* code = nullptr) {
    if (!QFile::exists(NB_NODE_FOLDER "/node_modules/@pixiv/three-vrm-animation"))
        qFatal("run tools/set-up --with-tests first");
    return run_program("node", QStringList{NB_NODE_FOLDER "/" + arguments[0]} + arguments.mid(1), code);
}

/// What the Khronos validator finds in a .glb; empty when it finds neither errors nor warnings.
inline QByteArray found_by_validator(const std::string& path) {
    int code = 0;
    const QByteArray said = run_node({"validate.mjs", QString::fromStdString(path)}, &code);
    return code == 0 ? QByteArray() : said + " ";
}

/// A script of tests/support.
inline QByteArray run_python(const QString& script, const QStringList& arguments, int* code = nullptr) {
    return run_program("/usr/bin/python3", QStringList{NB_SOURCE_DIR "/tests/support/" + script} + arguments,
                       code);
}

}  // namespace nb::test
