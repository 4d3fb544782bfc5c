#include "cli/outcome.h"
#include "cli/painted.h"

#include <QGuiApplication>
#include <QHashSeed>
#include <QLocale>

#include <cstdio>
#include <cstdlib>

/// The commands that paint: caelumen-cli starts this program with its own words.
int main(int argc, char** argv) {
    using namespace caelumen::cli;
    QHashSeed::setDeterministicGlobalSeed();     // the order of fonts in a PDF goes by it: a report is to be remade byte for byte
    QLocale::setDefault(QLocale::c());           // what it writes is the same on every desktop
    ::setenv("QT_QPA_PLATFORM", "offscreen", 0); // pictures are painted without a screen
    qInstallMessageHandler([](QtMsgType, const QMessageLogContext&, const QString&) {}); // what it remarks on a machine without a screen is nobody's concern
    const std::string command = argc > 1 ? argv[1] : "";
    if (command != "report" && command != "compose") {
        std::fputs("usage: caelumen-paint report|compose ... (a part of caelumen: use caelumen-cli)\n", stderr);
        return kUsage;
    }
    const bool isReport = command == "report";
    const auto arguments = parseArguments({argv + 2, argv + argc}, isReport ? kReportShape : kComposeShape);
    if (!arguments) return misuse(arguments.error().message, isReport ? kReportUsage : kComposeUsage);
    int one = 1;
    char name[] = "caelumen-cli", *own[] = {name, nullptr};
    const QGuiApplication application(one, own);
    return carefully([&] { return isReport ? report(*arguments) : compose(*arguments); });
}
