#pragma once

#include "core/base/json_fwd.h"
#include "core/base/result.h"
#include "core/grid/measured.h"

#include <map>
#include <string>
#include <vector>

namespace caelumen {

/// What a filter is judged by.
enum class Merit { Nebula, Background, Halo, StarColour, Gradient };
inline constexpr std::array kMerits{Merit::Nebula, Merit::Background, Merit::Halo, Merit::StarColour, Merit::Gradient};
const char* meritName(Merit merit);   ///< as in files: "star_colour"
const char* meritLabel(Merit merit);  ///< as shown
const char* meritNotice(Merit merit); ///< what one step is: "a quarter more or less time"
std::optional<Merit> meritOf(std::string_view name);

/// One of the skies that somebody works under.
struct ProfileSky {
    std::optional<int> bortle;
    std::optional<double> sky_mag; ///< of a meter, in place of a class
    std::string moon = "none";     ///< none, crescent, half, gibbous, full
    double share = 1;
    GridSky sky() const; ///< target 60 degrees high, moon 45 high and 60 away
    friend bool operator==(const ProfileSky&, const ProfileSky&) = default;
};

/// For whom a filter is judged.
struct Profile {
    std::string name;
    std::vector<ProfileSky> skies; ///< shares sum to one
    std::map<TargetKind, double> kinds;
    std::array<double, kMerits.size()> weights{};
    bool anyHaloIsAFault = true;  ///< else halos of less than half a per cent of a star's light do not count
    std::string owned;            ///< filter id; empty: none
    std::optional<double> fRatio; ///< of the telescope that it is for; none: that of the trials
    std::string camera;           ///< typical camera; empty: that of the trials
    double clearHours = 0;        ///< a year
    std::optional<double> budget;
    std::string currency;
    std::map<std::string, double> rates; ///< of one's own currency for one of another
    std::vector<std::string> notes = {}; ///< what was made to fit: shares that did not sum to one
    friend bool operator==(const Profile&, const Profile&) = default;
};

/// An Error names the file: negative shares, no sky or kind, weights that are all zero.
Result<Profile> profileFromText(const std::string& text, const std::string& name);
Result<Profile> readProfile(const std::filesystem::path& path);
Json profileToJson(const Profile& profile);

/// Telescope and camera that the grid is asked for.
GridSetting settingOf(const Profile& profile);

/// Ready ones to start from, in the profile's own words.
const std::vector<Profile>& startProfiles();

} // namespace caelumen
