#include "app/window/picture.h"

#include "app/bench/balance/balance_bench.h"
#include "app/bench/balance/spread_row.h"
#include "app/bench/bench.h"
#include "app/bench/clean/clean_bench.h"
#include "app/bench/drive/drive_bench.h"
#include "app/bench/intake/intake_bench.h"
#include "app/bench/intake/pair_bench.h"
#include "app/bench/layers/layers_bench.h"
#include "app/bench/punch/punch_bench.h"
#include "app/bench/tone/tone_bench.h"
#include "app/models/rough_balance_model.h"
#include "app/models/spread_model.h"
#include "app/proof/proof_page.h"
#include "app/quick/quick_page.h"
#include "app/shelf/shelf_page.h"
#include "app/strip/hit_strip.h"
#include "app/window/main_window.h"
#include "app/window/reference_sheet.h"
#include "app/window/states_sheet.h"

#include <QCoreApplication>
#include <QDeadlineTimer>
#include <QPixmap>
#include <QPushButton>

#include <iostream>

namespace cask::app {

bool writePicture(MainWindow& window, const PictureRequest& request) {
    const QStringList views = {
        QStringLiteral("intake"),     QStringLiteral("hits"),          QStringLiteral("balance"),
        QStringLiteral("clean"),      QStringLiteral("tone"),          QStringLiteral("punch"),
        QStringLiteral("drive"),      QStringLiteral("layers"),        QStringLiteral("proof"),
        QStringLiteral("tone-decay"), QStringLiteral("tone-kit"),      QStringLiteral("tone-usual"),
        QStringLiteral("tone-noise"), QStringLiteral("rough-balance"), QStringLiteral("quick"),
        QStringLiteral("rides"),      QStringLiteral("reference"),     QStringLiteral("states"),
        QStringLiteral("shelf")};
    const auto view = views.indexOf(request.view);
    if (view < 0) {
        std::cerr << "There is no view \"" << request.view.toStdString() << "\"; there are "
                  << views.join(QStringLiteral(", ")).toStdString() << ".\n";
        return false;
    }
    window.resize(request.width, request.height);
    window.show();
    const QDeadlineTimer deadline(120000);
    const auto busy = [&] {
        return window.isWorking() || window.analyst().isBusy() || window.playback().isMatching() ||
               window.playback().isMeasuringHeadroom() || !window.playback().headroom() ||
               window.hits().isBusy() || window.findings().isBusy();
    };
    const auto isEmpty = [&] { return window.document().session().elements.empty(); };
    while ((window.isWorking() || (!isEmpty() && busy())) && !deadline.hasExpired())
        QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
    if (!request.element.isEmpty()) {
        const auto& s = window.document().session();
        Id chosen = session::kNoId;
        for (const auto& e : s.elements)
            if (e->name == request.element.toStdString())
                chosen = e->id;
        for (const auto& b : s.buses)
            if (b->name == request.element.toStdString())
                chosen = b->id;
        if (chosen == session::kNoId) {
            std::cerr << "There is no element or bus \"" << request.element.toStdString() << "\".\n";
            return false;
        }
        window.document().select(chosen);
    }
    const bool isTone = request.view.startsWith(QLatin1String("tone"));
    const bool isRough = request.view == QLatin1String("rough-balance");
    const bool isQuick = request.view == QLatin1String("quick");
    const bool isShelf = request.view == QLatin1String("shelf");
    const bool isRides = request.view == QLatin1String("rides");
    const bool isStage = isTone || isRough || isRides || view < static_cast<int>(kStages.size());
    window.showPage(isStage ? 0 : isQuick ? 2 : isShelf ? 3 : 1);
    if (isStage)
        window.document().setStage(isTone               ? Stage::Tone
                                   : isRough || isRides ? Stage::Balance
                                                        : kStages[static_cast<std::size_t>(view)]);
    if (isRides)
        window.strip().setRiding(true);
    if (isRough)
        window.bench().balance().roughButton().click();
    if (isTone)
        window.bench().tone().showView(request.view == QLatin1String("tone-decay") ? ToneBench::View::Decay
                                       : request.view == QLatin1String("tone-kit")
                                           ? ToneBench::View::Kit
                                           : ToneBench::View::Spectrum);
    if (request.view == QLatin1String("tone-noise"))
        window.bench().tone().picture().setBeside(TonePicture::Beside::Noise);
    if (request.view == QLatin1String("tone-usual"))
        window.bench().tone().picture().setBeside(TonePicture::Beside::Usual);
    const auto isLooking = [&] {
        if (isQuick)
            return window.quick().isMeasuring();
        if (isShelf) {
            auto& shelf = window.shelf().model();
            return shelf.isIndexing() || shelf.isMapping() || shelf.isAsking();
        }
        return window.bench().clean().gate().isBusy() || window.tones().isBusy() ||
               window.bench().balance().spread().model().isMeasuring() ||
               window.bench().punch().punch().isBusy() || window.bench().layers().model().isBusy() ||
               window.bench().drive().drive().isBusy() || window.bench().balance().rough().isSearching();
    };
    while ((isStage || isQuick || isShelf) && isLooking() && !deadline.hasExpired())
        QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
    if (!request.over.isEmpty()) {
        Id other = session::kNoId;
        for (const auto& e : window.document().session().elements)
            if (e->name == request.over.toStdString())
                other = e->id;
        auto* intake = window.bench().findChild<IntakeBench*>();
        if (intake == nullptr || !intake->showPairWith(other)) {
            std::cerr << "\"" << request.over.toStdString() << "\" is no other microphone of that drum.\n";
            return false;
        }
        while (intake->pairBench().model().isBusy() && !deadline.hasExpired())
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
    }
    if (request.delivers) {
        window.proof().deliverButton()->click();
        while (window.proof().isDelivering() && !deadline.hasExpired())
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
    }
    for (int i = 0; i < 10; ++i)
        QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
    // Sheets of their own are pictured by themselves.
    QWidget* pictured = &window;
    if (request.view == QLatin1String("reference")) {
        pictured = new ReferenceSheet(window.document(), window.references(), &window);
        while ((window.references().own() == nullptr || window.references().isMeasuring() ||
                window.references().of(window.references().chosen()) == nullptr) &&
               !deadline.hasExpired())
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
    } else if (request.view == QLatin1String("states")) {
        pictured = new StatesSheet(window.document(), &window);
    }
    pictured->show();
    for (int i = 0; i < 10; ++i)
        QCoreApplication::processEvents(QEventLoop::AllEvents, 20);
    if (!pictured->grab().save(request.file, "PNG")) {
        std::cerr << request.file.toStdString() << " can't be written.\n";
        return false;
    }
    return true;
}

} // namespace cask::app
