#include "cli/commands.h"

#include <csignal>
#include <cstdio>
#include <ext/stdio_filebuf.h>
#include <fcntl.h>
#include <iostream>
#include <unistd.h>

namespace {

cask::CancelToken* g_cancel = nullptr; // set before the handler is
volatile std::sig_atomic_t g_signal = 0;

/// The first one asks the command to stop and clean up; the next one ends the program as usual.
extern "C" void stop(int number) {
    g_signal = number;
    g_cancel->cancel();
    std::signal(number, SIG_DFL);
}

/// The program's own standard error. Decoders of damaged files chatter there on their own; what matters of
/// that is said by the program in one sentence.
int ownErrors() {
    const int own = ::fcntl(STDERR_FILENO, F_DUPFD_CLOEXEC, 3);
    const int nowhere = ::open("/dev/null", O_WRONLY | O_CLOEXEC);
    if (own < 0 || nowhere < 0)
        return STDERR_FILENO;
    ::dup2(nowhere, STDERR_FILENO);
    ::close(nowhere);
    return own;
}

} // namespace

int main(int argc, char** argv) {
    cask::CancelToken cancel;
    g_cancel = &cancel;
    std::signal(SIGINT, stop);
    std::signal(SIGTERM, stop);
    std::signal(SIGXFSZ, SIG_IGN); // a file that may not grow is an error of its write
    const bool showsProgress = ::isatty(STDERR_FILENO) != 0;
    __gnu_cxx::stdio_filebuf<char> errors(ownErrors(), std::ios::out);
    std::ostream err(&errors);
    err << std::unitbuf;
    const int code = cask::cli::run(argc, argv, {std::cout, err, showsProgress, cancel});
    err.flush();
    if (g_signal != 0) // whoever waits for this program learns how it ended
        std::raise(g_signal);
    return code;
}
