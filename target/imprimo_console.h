/* SPDX-License-Identifier: 0BSD
 *
 * A console in the target's own RAM, read through its debug port: no pins, no halting (docs/formats/console-ring.md).
 * C99 and nothing else. One file of the firmware defines IMPRIMO_CONSOLE_HERE before it includes this.
 * Whoever writes from several places, an interrupt for instance, keeps them from each other.
 */
#ifndef IMPRIMO_CONSOLE_H
#define IMPRIMO_CONSOLE_H

#include <stdint.h>

/* Bytes for what the firmware says and for what it is told: powers of two, at least 16; no input with 0. */
#ifndef IMPRIMO_CONSOLE_OUT
#define IMPRIMO_CONSOLE_OUT 512
#endif
#ifndef IMPRIMO_CONSOLE_IN
#define IMPRIMO_CONSOLE_IN 16
#endif

#ifdef __cplusplus
extern "C" {
#endif

/* Also done by the first write. */
void imprimo_console_start(void);
/* As many as fit; the rest is counted as lost. Returns how many went in. */
unsigned imprimo_console_write(const char* bytes, unsigned count);
/* Waits for room. */
void imprimo_console_wait(const char* bytes, unsigned count);
/* A byte, or -1. */
int imprimo_console_read(void);

#ifdef IMPRIMO_CONSOLE_HERE

#define IMPRIMO_CONSOLE_FITS(size) ((size) >= 16 && (size) <= 65536 && ((size) & ((size)-1)) == 0)
typedef char imprimo_console_out_is_a_power_of_two[IMPRIMO_CONSOLE_FITS(IMPRIMO_CONSOLE_OUT) ? 1 : -1];
typedef char
    imprimo_console_in_is_a_power_of_two[IMPRIMO_CONSOLE_IN == 0 || IMPRIMO_CONSOLE_FITS(IMPRIMO_CONSOLE_IN) ? 1 : -1];

volatile struct {
  uint32_t mark[4];
  uint32_t out_at, out_size, out_written, out_taken, out_lost, none;
  uint32_t in_at, in_size, in_written, in_taken, nothing[2];
  uint8_t out[IMPRIMO_CONSOLE_OUT];
#if IMPRIMO_CONSOLE_IN
  uint8_t in[IMPRIMO_CONSOLE_IN];
#endif
} imprimo_console;

#ifdef __GNUC__
__attribute__((noinline)) /* once is enough */
#endif
unsigned
imprimo_console_write(const char* bytes, unsigned count) {
  unsigned put = 0;
  uint32_t written;
  if (!imprimo_console.mark[3]) {
    imprimo_console.out_written = imprimo_console.out_taken = imprimo_console.out_lost = 0;
    imprimo_console.out_at = (uint32_t)(uintptr_t)imprimo_console.out;
    imprimo_console.out_size = IMPRIMO_CONSOLE_OUT;
#if IMPRIMO_CONSOLE_IN
    imprimo_console.in_at = (uint32_t)(uintptr_t)imprimo_console.in;
    imprimo_console.in_size = IMPRIMO_CONSOLE_IN;
    imprimo_console.in_written = imprimo_console.in_taken = 0;
#endif
    /* Made here, so that it stands in no image; its last word last. */
    imprimo_console.mark[0] = 0x52504D49u;
    imprimo_console.mark[1] = 0x474E4952u;
    imprimo_console.mark[2] = 1;
    imprimo_console.mark[3] = ~(0x52504D49u ^ 0x474E4952u ^ 1u);
  }
  written = imprimo_console.out_written;
  while (put < count && written - imprimo_console.out_taken < IMPRIMO_CONSOLE_OUT)
    imprimo_console.out[written++ % IMPRIMO_CONSOLE_OUT] = (uint8_t)bytes[put++];
  imprimo_console.out_written = written;
  imprimo_console.out_lost += count - put;
  return put;
}

void imprimo_console_start(void) {
  imprimo_console.mark[3] = 0;
  imprimo_console_write(0, 0);
}

void imprimo_console_wait(const char* bytes, unsigned count) {
  while (count) {
    if (imprimo_console.out_written - imprimo_console.out_taken >= imprimo_console.out_size && imprimo_console.mark[3])
      continue;
    imprimo_console_write(bytes++, 1);
    --count;
  }
}

int imprimo_console_read(void) {
#if IMPRIMO_CONSOLE_IN
  uint32_t taken = imprimo_console.in_taken;
  int byte = -1;
  if (imprimo_console.in_written != taken) {
    byte = imprimo_console.in[taken % IMPRIMO_CONSOLE_IN];
    imprimo_console.in_taken = taken + 1;
  }
  return byte;
#else
  return -1;
#endif
}

#endif /* IMPRIMO_CONSOLE_HERE */

#ifdef __cplusplus
}
#endif

#endif
