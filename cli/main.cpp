#include "cli/commands.h"

#include <unistd.h>

#include <iostream>

int main(int argc, char** argv) {
    return cask::cli::run(argc, argv, {std::cout, std::cerr, isatty(STDERR_FILENO) != 0});
}
