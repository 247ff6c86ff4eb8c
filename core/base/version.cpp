// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/version.h"

namespace imprimo {

const char* versionText() {
  return IMPRIMO_VERSION;
}

}  // namespace imprimo
