// A saved session with a recorded snare whose hits are known, on the Layers bench.
#pragma once

#include "app/bench/layers/layers_bench.h"
#include "core/layers/stack_file.h"
#include "tests/app/window_fixture.h"

namespace cask::app {

class LayersWindow : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Snare Top.wav", test::bursts(180, 0.5, 0.3, 0.08, 6));
        std::vector<float> click(600, 0.0F);
        click[100] = 0.5F;
        test::writeWav(m_folder / "Click.wav", click);
        test::writeWav(m_folder / "Sub.wav", test::bursts(50, 10, 0.0, 0.1, 0.5));
        drop({text(m_folder / "Snare Top.wav")});
        ASSERT_TRUE(waitMeasured());
        ASSERT_TRUE(
            waitFor([&] { return !m_window->hits().isBusy() && m_window->hits().analysis() != nullptr; }));
        m_snare = element("Snare Top");
        m_window->askForSaveName = [this](const QString&) { return text(m_folder / "Kit.cask"); };
        m_window->save();
        m_window->document().select(m_snare);
        QTest::keyClick(m_window.get(), Qt::Key_8);
        ASSERT_TRUE(waitFor([&] { return bench().addButton().isEnabled(); }))
            << "hits are searched again in the new folder";
        bench().askForSounds = [this] { return QStringList{text(m_folder / "Click.wav")}; };
    }
    [[nodiscard]] LayersBench& bench() { return m_window->bench().layers(); }
    [[nodiscard]] const layers::Stack& stack() { return *bench().model().stack(); }
    [[nodiscard]] bool waitQuiet() {
        return waitFor([&] { return !bench().model().isBusy() && bench().model().look() != nullptr; });
    }
    void strike() {
        QTest::mouseClick(&bench().addButton(), Qt::LeftButton);
        ASSERT_TRUE(waitFor([&] { return bench().model().stack() != nullptr; }));
        ASSERT_TRUE(waitQuiet());
    }
    /// As the session's file says.
    [[nodiscard]] layers::Stack stored() {
        const auto& s = session();
        const auto* e = s.element(m_window->document().selected());
        return *layers::readStack(
            session::resolvePath(*s.file(e->channels.front().file), m_window->document().folder()));
    }
    Id m_snare = session::kNoId;
};

} // namespace cask::app
