# SPDX-License-Identifier: GPL-3.0-or-later
# Writes OUT, a C++ file with the pages FOLDER/*.md: ctl/guide_pages.h says how they are asked for.
file(GLOB pages ${FOLDER}/*.md)
set(text "#include \"ctl/guide_pages.h\"\nnamespace imprimo::ctl {\nstd::span<const GuidePage> guidePages() {\n  static const GuidePage kPages[] = {\n")
foreach(page ${pages})
  get_filename_component(name ${page} NAME_WE)
  file(READ ${page} content)
  string(APPEND text "{\"${name}\", R\"PAGE(${content})PAGE\"},\n")
endforeach()
string(APPEND text "};\n  return kPages;\n}\n}  // namespace imprimo::ctl\n")
file(WRITE ${OUT} "${text}")
