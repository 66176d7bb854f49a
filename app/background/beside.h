#pragma once
#include "app/background/background.h"

#include <QEventLoop>
#include <QFutureWatcher>
#include <QProgressDialog>
#include <QtConcurrent>

#include <atomic>
#include <functional>
#include <memory>
#include <optional>
#include <string>

namespace topikos {

/// Does slow work beside the interface and waits for it, in answer to a command and never in the middle of an edit:
/// after half a second a window says `words` and offers to cancel. `work` gets a function to ask whether to go on.
/// Nothing comes back when it was cancelled (work that does not ask then ends unheard), nor when it broke down, which
/// is said. What must come to its end offers no way out (`mayCancel`).
template <class Work>
auto doBeside(Owner& owner, QWidget* parent, const QString& words, Work work, bool mayCancel = true)
    -> std::optional<std::invoke_result_t<Work, std::function<bool()>>>
{
    using Made = std::invoke_result_t<Work, std::function<bool()>>;
    auto stop = std::make_shared<std::atomic<bool>>(false);
    QFutureWatcher<std::shared_ptr<Made>> watcher;
    QProgressDialog progress(words, "Cancel", 0, 0, parent);
    progress.setObjectName("besideProgress");
    progress.setWindowModality(Qt::WindowModal);
    progress.setMinimumDuration(500);
    progress.setValue(0);
    QEventLoop loop;
    QObject::connect(&watcher, &QFutureWatcherBase::finished, &loop, &QEventLoop::quit);
    if (!mayCancel) progress.setCancelButton(nullptr);
    else
        QObject::connect(&progress, &QProgressDialog::canceled, &loop, [&] {
            *stop = true;
            loop.quit();
        });
    auto why = std::make_shared<std::string>();
    watcher.setFuture(QtConcurrent::run([work = std::move(work), stop, why]() -> std::shared_ptr<Made> {
        try {
            return std::make_shared<Made>(work([stop] { return !*stop; }));
        } catch (const std::exception& broken) {
            *why = broken.what();
            return nullptr;
        }
    }));
    while (!watcher.isFinished() && !*stop)
        loop.exec();
    if (*stop || !watcher.isFinished()) return std::nullopt;
    const std::shared_ptr<Made> made = watcher.result();
    if (!made) {
        sayBroken(owner, QString(words).remove(" …"), why->c_str());
        return std::nullopt;
    }
    return std::move(*made);
}

}  // namespace topikos
