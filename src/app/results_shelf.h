#pragma once

#include "core/model/results.h"

#include <QString>

namespace caelumen {

/// Results that were measured before, kept in the cache folder under a name made of all that they depend on: the program, the trial as far as it is measured,
/// and its files by place, size, time and first bytes. Whatever changes, another name is looked for; the oldest ones go when there are many. Used from any
/// thread.
class ResultsShelf {
public:
    /// The name for a trial as its files are now; empty where one of them cannot be read.
    static QString nameOf(const Trial& trial);
    static std::shared_ptr<const TrialResults> find(const QString& name); ///< null where there are none, or they are damaged
    static void keep(const QString& name, const TrialResults& results);   ///< a full disk is no fault: they are measured again
    static QString folder();
};

} // namespace caelumen
