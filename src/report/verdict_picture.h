#pragma once

#include "core/verdict/verdict.h"

#include <string>

namespace caelumen {

/// The ranking with whiskers and chances, as SVG text; markers as the trial's filters have them.
std::string svgRanking(const Trial& trial, const Verdict& verdict, const Profile& profile);
/// What an hour costs by the years of use, of those that save hours; empty where none does.
std::string svgPayoff(const Trial& trial, const Verdict& verdict);

} // namespace caelumen
