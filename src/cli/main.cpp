#include "cli/commands.h"

#include <QHashSeed>
#include <QLocale>

int main(int argc, char** argv) {
    QHashSeed::setDeterministicGlobalSeed(); // the order of fonts in a PDF goes by it: a report is to be remade byte for byte
    QLocale::setDefault(QLocale::c());       // what it writes is the same on every desktop
    return caelumen::cli::run({argv + 1, argv + argc});
}
