#pragma once

#include <functional>
#include <stop_token>
#include <string>

namespace caelumen {

/// What long work needs from its caller: a place to report progress and a way to be stopped.
/// `progress` takes the part done (0..1) and what is being worked on; it may be empty and is called from worker threads.
struct Job {
    std::function<void(double, const std::string&)> progress = {};
    std::stop_token stop = {};

    void report(double part, const std::string& what) const {
        if (progress) progress(part, what);
    }
    bool cancelled() const { return stop.stop_requested(); }
};

inline const char* const kCancelled = "Cancelled.";

} // namespace caelumen
