#include "app/theme/theme.h"
#include "app/window/main_window.h"
#include "app/window/picture.h"
#include "core/demo/demo_session.h"

#include <QApplication>
#include <QCommandLineParser>
#include <QFileInfo>
#include <QIcon>
#include <QSettings>

#include <iostream>

int main(int argc, char** argv) {
    // A picture needs no display.
    for (int i = 1; i < argc; ++i)
        if (QByteArrayView(argv[i]).startsWith("--picture") && qEnvironmentVariableIsEmpty("DISPLAY") &&
            qEnvironmentVariableIsEmpty("WAYLAND_DISPLAY") && qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM"))
            qputenv("QT_QPA_PLATFORM", "offscreen");
    QApplication app(argc, argv);
    QCoreApplication::setOrganizationName(QStringLiteral("Ember Cask"));
    QCoreApplication::setApplicationName(QStringLiteral("Ember Cask"));
    QCoreApplication::setApplicationVersion(QStringLiteral("0.1.0"));

    QCommandLineParser parser;
    parser.setApplicationDescription(QStringLiteral("A bench for drum kits"));
    parser.addHelpOption();
    parser.addVersionOption();
    parser.addPositionalArgument(QStringLiteral("paths"),
                                 QStringLiteral("A session folder, or files and folders to import"));
    const QCommandLineOption demo(QStringLiteral("demo"),
                                  QStringLiteral("Open the demo session in this folder; make it if needed."),
                                  QStringLiteral("folder"));
    const QCommandLineOption picture(QStringLiteral("picture"),
                                     QStringLiteral("Write a PNG of the window and end."),
                                     QStringLiteral("file"));
    const QCommandLineOption view(
        QStringLiteral("view"),
        QStringLiteral("intake, hits, balance, clean, tone, tone-decay, tone-kit, "
                       "tone-usual, tone-noise, punch, drive, "
                       "rough-balance, rides, quick, reference, shelf, states or proof"),
        QStringLiteral("view"), QStringLiteral("tone"));
    const QCommandLineOption over(QStringLiteral("over"),
                                  QStringLiteral("With --view intake: the microphone it is laid over"),
                                  QStringLiteral("name"));
    const QCommandLineOption element(QStringLiteral("element"),
                                     QStringLiteral("The element or bus that is chosen"),
                                     QStringLiteral("name"));
    const QCommandLineOption night(QStringLiteral("night"), QStringLiteral("The night theme"));
    const QCommandLineOption size(QStringLiteral("size"), QStringLiteral("Size of the picture, 1280x800"),
                                  QStringLiteral("size"), QStringLiteral("1280x800"));
    const QCommandLineOption deliver(QStringLiteral("deliver"),
                                     QStringLiteral("Delivers before the picture is taken"));
    parser.addOptions({demo, picture, view, element, over, night, size, deliver});
    parser.process(app);

    using namespace cask::app;
    const auto kind = parser.isSet(night) || (!parser.isSet(picture) &&
                                              QSettings().value(QStringLiteral("window/theme")).toInt() == 1)
                          ? ThemeKind::Night
                          : ThemeKind::Light;
    applyTheme(app, kind);
    QApplication::setWindowIcon(QIcon(QStringLiteral(":/icons/ember-cask.png")));
    if (parser.isSet(demo)) {
        const std::filesystem::path folder(parser.value(demo).toStdString());
        if (!std::filesystem::exists(folder / "session.json")) {
            std::cerr << "Making the demo session in " << folder.string() << " (a few seconds)\n";
            if (const auto written = cask::demo::writeDemoSession(folder); !written) {
                std::cerr << written.error().message << '\n';
                return 1;
            }
        }
    }
    MainWindow window;
    window.asksBeforeImport = !parser.isSet(picture);
    if (parser.isSet(demo))
        window.openSession(parser.value(demo).toStdString());
    const auto paths = parser.positionalArguments();
    if (paths.size() == 1 && QFileInfo::exists(paths[0] + QStringLiteral("/session.json")))
        window.openSession(paths[0].toStdString());
    else if (!paths.isEmpty())
        window.takeInFiles(paths);
    if (parser.isSet(picture)) {
        PictureRequest request;
        request.file = parser.value(picture);
        request.view = parser.value(view);
        request.element = parser.value(element);
        request.over = parser.value(over);
        request.delivers = parser.isSet(deliver);
        const auto parts = parser.value(size).split(QLatin1Char('x'));
        if (parts.size() == 2) {
            request.width = parts[0].toInt();
            request.height = parts[1].toInt();
        }
        return writePicture(window, request) ? 0 : 1;
    }
    window.show();
    return QApplication::exec();
}
