#include "cli/commands.h"
#include "core/base/large_memory.h"

int main(int argc, char** argv) {
    caelumen::keepFreedMemory();
    return caelumen::cli::run({argv + 1, argv + argc});
}
