// The toolkit is not built for the thread sanitizer, which therefore does not see that its event queue is
// guarded. What a worker posts is ordered before what the queue then calls; both are told to the sanitizer
// here.
#pragma once

#include <QApplication>

#if defined(__SANITIZE_THREAD__)

#include <dlfcn.h>
#include <sanitizer/tsan_interface.h>

namespace cask::app {

inline char g_eventQueue; ///< stands for it

/// Every event that is handled comes after every post so far.
class TestApplication : public QApplication {
  public:
    using QApplication::QApplication;
    bool notify(QObject* receiver, QEvent* event) override {
        __tsan_acquire(&g_eventQueue);
        return QApplication::notify(receiver, event);
    }
};

} // namespace cask::app

/// Takes the place of the toolkit's own, which it calls.
bool QMetaObject::invokeMethodImpl(QObject* object, QtPrivate::QSlotObjectBase* slot, Qt::ConnectionType type,
                                   void* result) {
    using Post = bool (*)(QObject*, QtPrivate::QSlotObjectBase*, Qt::ConnectionType, void*);
    static const auto post = reinterpret_cast<Post>(
        ::dlsym(RTLD_NEXT, "_ZN11QMetaObject16invokeMethodImplEP7QObjectPN9QtPrivate15QSlotObjectBaseEN2Qt"
                           "14ConnectionTypeEPv"));
    __tsan_release(&cask::app::g_eventQueue);
    return post(object, slot, type, result);
}

#else

namespace cask::app {
using TestApplication = QApplication;
} // namespace cask::app

#endif
