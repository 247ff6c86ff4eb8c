// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#ifdef __SSE2__
#include <emmintrin.h>

#include <cstdint>

namespace imprimo {

/// Sixteen hexadecimal digits as eight bytes, all at once, for computers that can; their sum is added to `sum`. False
/// where one of them is no digit.
inline bool sixteenDigits(const char* from, std::uint8_t* to, unsigned& sum) {
  const __m128i text = _mm_loadu_si128(reinterpret_cast<const __m128i*>(from));
  const __m128i letter = _mm_cmpgt_epi8(text, _mm_set1_epi8('9'));
  // Letters of either case become upper case, and count from 10; all that is no digit ends up above 15 or, as a letter,
  // below 10.
  const __m128i upper = _mm_andnot_si128(_mm_and_si128(letter, _mm_set1_epi8(0x20)), text);
  const __m128i digit =
      _mm_sub_epi8(upper, _mm_add_epi8(_mm_set1_epi8('0'), _mm_and_si128(letter, _mm_set1_epi8('A' - 10 - '0'))));
  const __m128i least = _mm_and_si128(letter, _mm_set1_epi8(10)), most = _mm_set1_epi8(15);
  const __m128i good =
      _mm_and_si128(_mm_cmpeq_epi8(_mm_max_epu8(digit, most), most), _mm_cmpeq_epi8(_mm_max_epu8(digit, least), digit));
  const __m128i pairs =
      _mm_and_si128(_mm_or_si128(_mm_slli_epi16(digit, 4), _mm_srli_epi16(digit, 8)), _mm_set1_epi16(0xFF));
  const __m128i bytes = _mm_packus_epi16(pairs, _mm_setzero_si128());
  _mm_storel_epi64(reinterpret_cast<__m128i*>(to), bytes);
  sum += static_cast<unsigned>(_mm_cvtsi128_si32(_mm_sad_epu8(bytes, _mm_setzero_si128())));
  return _mm_movemask_epi8(good) == 0xFFFF;
}

}  // namespace imprimo
#endif
