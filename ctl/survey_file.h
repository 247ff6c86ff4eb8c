// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <stop_token>
#include <string>

#include "core/svf/survey.h"

namespace imprimo::ctl {

/// Reads a whole file of vectors. Throws what is wrong with it, and Stopped.
svf::Survey surveyFile(const std::string& file, double hz, const std::stop_token& stop);

}  // namespace imprimo::ctl
