#pragma once

#include "core/compare/run_facts.h"
#include "core/measure/harvest.h"
#include "core/stars/defects.h"

#include <map>
#include <memory>
#include <mutex>
#include <set>
#include <string>

namespace caelumen {

/// What a first look at a plane found, before anything is known about other runs.
struct Survey {
    PlaneStars stars;
    Defects defects;
    bool scaled01 = false, hasValues = false;
};

/// Reads a plane and finds its stars. `scaled01`: whether values go from 0 to 1, as the run's first plane told. `plane` gives its memory and is the plane
/// afterwards, in rates and without defects.
Result<Survey> surveyPlane(const OpenRun& run, std::size_t channel, std::optional<bool> scaled01, Plane& plane);

/// What a survey depends on: the file as it lies there, the plane, and the facts that turn its values into rates.
std::string surveyKey(const OpenRun& run, std::size_t channel);

/// Surveys of the planes that were measured last, so that another set of regions does not find the same stars again. Shared between threads.
class StarMemory {
public:
    std::shared_ptr<const Survey> find(const std::string& key) const;
    void keep(const std::string& key, std::shared_ptr<const Survey> survey);
    void keepOnly(const std::set<std::string>& keys); ///< of the trial in hand

private:
    mutable std::mutex m_guard;
    std::map<std::string, std::shared_ptr<const Survey>> m_surveys;
};

} // namespace caelumen
