// SPDX-License-Identifier: GPL-3.0-or-later
//
// A library has to have a source; those that only hold precompiled headers have this one.
