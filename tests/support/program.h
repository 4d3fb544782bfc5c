#pragma once

#include <QByteArray>
#include <QProcess>
#include <QStringList>

#include <filesystem>

namespace caelumen {

/// What a program left behind.
struct Ran {
    int code = -1; ///< -9: it was killed or it crashed
    QByteArray out, err;
};

/// Runs a program in a folder, in another language if one is given.
inline Ran runProgram(const char* program, const std::filesystem::path& folder, const QStringList& arguments, const char* language = nullptr) {
    QProcess p;
    if (language) {
        auto environment = QProcessEnvironment::systemEnvironment();
        for (const char* name : {"LANG", "LC_ALL", "LANGUAGE", "CAELUMEN_LANGUAGE"}) environment.insert(name, language);
        p.setProcessEnvironment(environment);
    }
    p.setWorkingDirectory(QString::fromStdString(folder.string()));
    p.start(program, arguments);
    p.waitForFinished(300'000);
    return {p.exitStatus() == QProcess::NormalExit ? p.exitCode() : -9, p.readAllStandardOutput(), p.readAllStandardError()};
}

} // namespace caelumen
