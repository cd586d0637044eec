#include "cli/commands.h"

#include <iostream>
#include <unistd.h>

int main(int argc, char** argv) {
    return cask::cli::run(argc, argv, {std::cout, std::cerr, isatty(STDERR_FILENO) != 0});
}
