# SPDX-License-Identifier: GPL-3.0-or-later
# Writes OUT with the commit of SOURCE, only where it is another one than before.
execute_process(COMMAND git -C ${SOURCE} rev-parse --short=12 HEAD OUTPUT_VARIABLE commit OUTPUT_STRIP_TRAILING_WHITESPACE
  RESULT_VARIABLE failed ERROR_QUIET)
if(failed)
  set(commit unknown)
else()
  execute_process(COMMAND git -C ${SOURCE} status --porcelain --untracked-files=no OUTPUT_VARIABLE changed ERROR_QUIET)
  if(changed)
    string(APPEND commit "+")
  endif()
endif()
set(text "#include \"core/about/commit.h\"\nconst char* imprimo::commitText() {\n  return \"${commit}\";\n}\n")
if(EXISTS ${OUT})
  file(READ ${OUT} before)
endif()
if(NOT "${before}" STREQUAL "${text}")
  file(WRITE ${OUT} "${text}")
endif()
