// The Tone bench over one snare.
#pragma once

#include "tests/app/window_fixture.h"

#include <QLineEdit>

namespace cask::app {

class Tone : public WindowTest {
  protected:
    void SetUp() override {
        test::writeWav(m_folder / "Snare.wav", test::bursts(200, 0.5, 0.1, 0.08, 3));
        drop({text(m_folder / "Snare.wav")});
        ASSERT_TRUE(waitMeasured());
        m_window->document().setStage(Stage::Tone);
        QTest::qWait(1);
    }
    bool waitForTone() {
        return waitFor([&] {
            return !m_window->tones().isBusy() &&
                   m_window->tones().tone(m_window->document().selected()) != nullptr;
        });
    }
    ToneBench& tone() { return m_window->bench().tone(); }
    TonePicture& picture() { return tone().picture(); }
    EqModel& eq() { return tone().eq(); }
    void type(const char* bar, const QString& words) {
        auto* value = tone().bar(QLatin1String(bar));
        ASSERT_NE(value, nullptr) << bar;
        value->setFocus();
        QTest::keyClicks(value, words.left(1));
        auto* line = value->findChild<QLineEdit*>();
        ASSERT_NE(line, nullptr);
        QTest::keyClicks(line, words.mid(1));
        QTest::keyClick(line, Qt::Key_Return);
    }
    void drag(const QPoint& from, const QPoint& to, Qt::KeyboardModifiers modifiers = {}) {
        QTest::mousePress(&picture(), Qt::LeftButton, modifiers, from);
        // QTest's mouse moves carry no keys.
        QMouseEvent move(QEvent::MouseMove, to, picture().mapToGlobal(QPointF(to)), Qt::NoButton,
                         Qt::LeftButton, modifiers);
        QCoreApplication::sendEvent(&picture(), &move);
        QTest::mouseRelease(&picture(), Qt::LeftButton, modifiers, to);
    }
};

} // namespace cask::app
