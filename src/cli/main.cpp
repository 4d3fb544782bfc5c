#include "cli/commands.h"

#include <QHashSeed>

int main(int argc, char** argv) {
    QHashSeed::setDeterministicGlobalSeed(); // the order of fonts in a PDF goes by it: a report is to be remade byte for byte
    return caelumen::cli::run({argv + 1, argv + argc});
}
