// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <filesystem>
#include <string>
#include <vector>

namespace imprimo::units {

/// One column of a CSV file (RFC 4180, commas; the first line names the columns), in order. Throws BadFile with the
/// line: a column that is not there, rows of another length, an open quotation mark, an empty value, a value that is
/// there twice.
std::vector<std::string> readColumn(const std::filesystem::path& file, const std::string& column);
/// The same of a text that was read.
std::vector<std::string> columnOf(std::string_view text, const std::string& name, const std::string& column);

}  // namespace imprimo::units
