// A real window on a simulated device, driven by events.
#pragma once

#include "app/bench/balance/balance_bench.h"
#include "app/bench/balance/balance_plane.h"
#include "app/bench/bench.h"
#include "app/bench/intake/intake_bench.h"
#include "app/bench/tone/tone_bench.h"
#include "app/bench/tone/tone_picture.h"
#include "app/board/board.h"
#include "app/findings/findings_panel.h"
#include "app/proof/proof_page.h"
#include "app/strip/hit_strip.h"
#include "app/theme/theme.h"
#include "app/widgets/choice_row.h"
#include "app/widgets/value_bar.h"
#include "app/window/head_line.h"
#include "app/window/main_window.h"
#include "engine/device/simulated_device.h"
#include "tests/support/signals.h"
#include "tests/support/temp_folder.h"

#include <QDropEvent>
#include <QLineEdit>
#include <QMimeData>
#include <QPushButton>
#include <QTest>
#include <QUrl>
#include <gtest/gtest.h>

namespace cask::app {

class WindowTest : public testing::Test {
  protected:
    WindowTest() : m_window(std::make_unique<MainWindow>(&WindowTest::openSimulated)) {
        m_window->resize(1280, 800);
        m_window->asksBeforeImport = false; // the kit sheet has tests of its own
        m_window->show();
        // Keys of the menu reach an active window only, and a real one becomes active in its own time.
        m_window->activateWindow();
        EXPECT_TRUE(QTest::qWaitForWindowActive(m_window.get()));
        m_window->askBeforeClosing = [] { return MainWindow::CloseChoice::Discard; };
    }
    static engine::OpenedDevice openSimulated(engine::AudioCallback& callback,
                                              const engine::DeviceSettings& s) {
        return {std::make_unique<engine::SimulatedDevice>(callback, s.sampleRateHz, s.blockFrames), {}};
    }
    [[nodiscard]] static bool waitFor(const std::function<bool()>& condition) {
        return QTest::qWaitFor(condition, 120000); // under sanitizers measuring takes long
    }
    /// Waits until the playhead is near a place: the device takes it there with a later block.
    [[nodiscard]] testing::AssertionResult comesTo(double timeS, double withinS = 0.02) {
        const auto& playback = m_window->playback();
        if (waitFor([&] { return std::abs(playback.positionS() - timeS) <= withinS; }))
            return testing::AssertionSuccess();
        return testing::AssertionFailure() << "the playhead is at " << playback.positionS() << " s";
    }
    static QImage pictureOf(QWidget& widget) { return widget.grab().toImage(); }
    /// Pixels of a picture near a colour, each of red, green and blue.
    static int pixelsOf(const QImage& picture, const QColor& colour, int within = 24) {
        int count = 0;
        for (int y = 0; y < picture.height(); ++y)
            for (int x = 0; x < picture.width(); ++x) {
                const QColor at = picture.pixelColor(x, y);
                count += std::abs(at.red() - colour.red()) <= within &&
                         std::abs(at.green() - colour.green()) <= within &&
                         std::abs(at.blue() - colour.blue()) <= within;
            }
        return count;
    }
    [[nodiscard]] bool waitMeasured() {
        return waitFor([&] { return !m_window->analyst().isBusy() && m_window->analyst().filesTotal() > 0; });
    }
    void drop(const QStringList& paths) {
        QMimeData data;
        QList<QUrl> urls;
        for (const auto& path : paths)
            urls << QUrl::fromLocalFile(path);
        data.setUrls(urls);
        QDragEnterEvent enter({600, 300}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(m_window.get(), &enter);
        ASSERT_TRUE(enter.isAccepted());
        QDropEvent event({600, 300}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(m_window.get(), &event);
        ASSERT_TRUE(waitFor([&] { return !m_window->isWorking(); }));
    }
    /// A kick and a snare that hear each other 20 dB down, at 120 beats a minute: kicks on one and three,
    /// snares on two and four. Returns once their hits are known, the snare chosen.
    void dropKickAndSnare(double kickDecayS) {
        const auto kick = test::bursts(60, 1, 0.25, kickDecayS, 12);
        const auto snare = test::bursts(900, 1, 0.75, 0.05, 12);
        const auto mixed = [](const std::vector<float>& own, const std::vector<float>& other) {
            auto x = own;
            for (std::size_t n = 96; n < x.size(); ++n)
                x[n] += 0.1F * other[n - 96];
            const auto hiss = test::noise(0.0002, x.size(), 9);
            for (std::size_t n = 0; n < x.size(); ++n)
                x[n] += hiss[n];
            return x;
        };
        test::writeWav(m_folder / "Kick In.wav", mixed(kick, snare));
        test::writeWav(m_folder / "Snare Top.wav", mixed(snare, kick));
        drop({text(m_folder / "Kick In.wav"), text(m_folder / "Snare Top.wav")});
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(
            waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
        m_window->document().select(element("Snare Top"));
    }
    /// Types a value into a bar, as a person does.
    static void typeInto(ValueBar* bar, const QString& words) {
        ASSERT_NE(bar, nullptr);
        bar->setFocus();
        QTest::keyClick(bar, Qt::Key_Return);
        auto* editor = bar->findChild<QLineEdit*>();
        ASSERT_NE(editor, nullptr);
        editor->selectAll();
        QTest::keyClicks(editor, words);
        QTest::keyClick(editor, Qt::Key_Return);
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    }
    [[nodiscard]] const session::Session& session() { return m_window->document().session(); }
    [[nodiscard]] Id element(const std::string& name) {
        for (const auto& e : session().elements)
            if (e->name == name)
                return e->id;
        return session::kNoId;
    }
    static QString text(const std::filesystem::path& path) { return QString::fromStdString(path.string()); }

    test::TempFolder m_folder;
    std::unique_ptr<MainWindow> m_window;
};

} // namespace cask::app
