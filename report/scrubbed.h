// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <string>

namespace imprimo::report {

/// A text as it may be sent: this user's home is "~", their name and this computer's are "(user)" and "(computer)", and
/// words of 24 or more characters that look like keys or tokens (digits and letters of hexadecimal or base 64, with
/// both in them) are "(left out)", but for "sha256" sums that stand behind that word.
std::string scrubbed(const std::string& text);
/// The same, with what this user and computer are called.
std::string scrubbed(const std::string& text, const std::string& home, const std::string& user,
                     const std::string& computer);

}  // namespace imprimo::report
