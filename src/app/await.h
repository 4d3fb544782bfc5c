#pragma once

#include <QCoreApplication>
#include <QEventLoop>
#include <QThreadPool>

#include <chrono>
#include <future>
#include <memory>

namespace caelumen {

/// What `work` gives, worked out in another thread. To be called on the interface thread by what cannot go on without: the window keeps painting meanwhile, and
/// hears no key and no click. An exception of the work comes out here.
template<class Work>
auto awaited(Work work) {
    using Out = decltype(work());
    constexpr auto kNobodyNotices = std::chrono::milliseconds(30);
    QEventLoop loop;
    auto task = std::make_shared<std::packaged_task<Out()>>(std::move(work));
    std::future<Out> out = task->get_future();
    auto told = std::make_shared<std::promise<void>>(); // the loop lives until the thread has let go of it
    QThreadPool::globalInstance()->start([task, &loop, told] {
        (*task)();
        QMetaObject::invokeMethod(&loop, &QEventLoop::quit, Qt::QueuedConnection);
        told->set_value();
    });
    if (out.wait_for(kNobodyNotices) != std::future_status::ready) loop.exec(QEventLoop::ExcludeUserInputEvents);
    told->get_future().wait();
    return out.get();
}

} // namespace caelumen
