#include "cli/commands.h"

int main(int argc, char** argv) {
    return caelumen::cli::run({argv + 1, argv + argc});
}
