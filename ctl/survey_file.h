// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>
#include <string>
#include <vector>

#include "core/svf/survey.h"

namespace imprimo::ctl {

/// Reads a whole file of vectors. Throws what is wrong with it, and Stopped.
svf::Survey surveyFile(const std::string& file, double hz, const std::stop_token& stop,
                       svf::FromPause fromPause = svf::FromPause::Update);

/// What is odd about it, and what players do differently with it: one line each, "line 7: …".
std::vector<std::string> remarksOn(const svf::Survey& survey, svf::FromPause fromPause);

}  // namespace imprimo::ctl
