/* SPDX-License-Identifier: GPL-3.0-or-later
 *
 * What the simulated core runs in the tests of the console: by HOW it says a line and repeats what it is told, or
 * counts without end, or asks its
 * host, or writes to stimulus ports.
 */
#define IMPRIMO_CONSOLE_HERE
#include "target/imprimo_console.h"

#define GREET 1
#define FLOOD 2
#define LOSE 3
#define ASK_HOST 4
#define TWO_RINGS 5
#define TRACE 6
#define SERIAL 7
#define ALL 8

void start(void);
static void hang(void) {
  for (;;) {
  }
}

__attribute__((section(".vectors"), used)) void (*const vectors[4])(void) = {(void (*)(void))0x20004000, start, hang, hang};

#if HOW == ASK_HOST
static unsigned host(unsigned operation, const void *parameter) {
  register unsigned r0 __asm__("r0") = operation;
  register const void *r1 __asm__("r1") = parameter;
  __asm__ volatile("bkpt 0xAB" : "+r"(r0) : "r"(r1) : "memory");
  return r0;
}
#endif

#if HOW == SERIAL || HOW == ALL
#define UART ((volatile unsigned *)0x40060000)
static void put(char c) {
  while (!(UART[1] & 1)) {
  }
  UART[0] = (unsigned char)c;
}
static void tell(const char *text) {
  for (; *text; ++text) put(*text);
}
#endif

#if HOW == TRACE || HOW == ALL
#define ITM ((volatile unsigned *)0xE0000000)
#define ITM_BYTE ((volatile unsigned char *)0xE0000000)
static int open_port(unsigned port) { return (ITM[0xE80 / 4] & 1) && (ITM[0xE00 / 4] >> port & 1); }
static void say(const char *text) {
  for (; *text; ++text) {
    while (open_port(0) && !ITM[0]) {
    }
    if (open_port(0)) ITM_BYTE[0] = (unsigned char)*text;
  }
}
#endif

#if HOW == TRACE
static void give(unsigned port, unsigned value) {
  while (open_port(port) && !ITM[port]) {
  }
  if (open_port(port)) ITM[port] = value;
}
#endif

void start(void) {
#if HOW == GREET
  imprimo_console_wait("gauge ready\n", 12);
  for (;;) {
    const int got = imprimo_console_read();
    if (got >= 0) {
      const char byte = (char)got;
      imprimo_console_wait(&byte, 1);
    }
  }
#elif HOW == FLOOD || HOW == LOSE
  unsigned n = 0;
  char line[64];
  for (;;) {
    unsigned i;
    for (i = 0; i < sizeof line; ++i) line[i] = (char)(n++ * 7u);
#if HOW == FLOOD
    imprimo_console_wait(line, sizeof line);
#else
    imprimo_console_write(line, sizeof line);
    for (i = 0; i < 200; ++i) __asm__ volatile("nop");
#endif
  }
#elif HOW == ASK_HOST
  static const char text[] = "from the host's side\n";
  unsigned block[3];
  static const char letter = 'x';
  host(4, text);
  host(3, &letter);
  block[0] = 1, block[1] = (unsigned)text, block[2] = 4;
  if (host(5, block) != 0) hang();
  block[0] = (unsigned)"log.txt", block[1] = 4, block[2] = 7;
  if (host(1, block) != ~0u) hang();
  if (host(16, 0) > 100000u) hang();
  block[0] = 0x20026, block[1] = 7;
  host(32, block);
  hang();
#elif HOW == TRACE
  unsigned level = 1000;
  volatile unsigned i;
  say("gauge ready\n");
  for (;;) {
    say("tick\n");
    give(3, level);
    level += 1;
    for (i = 0; i < 2000; ++i) __asm__ volatile("nop");
  }
#elif HOW == SERIAL
  static const char digits[] = "0123456789ABCDEF";
  unsigned i;
  tell("gauge ready\r\n");
  for (;;) {
    tell("tick\r\n");
    for (i = 0; i < 200; ++i) {
      if (UART[1] & 2) {
        const unsigned got = UART[0];
        tell("heard ");
        if (got >= 0x20) {
          put((char)got);
        } else {
          put('#'), put(digits[got >> 4]), put(digits[got & 15]);
        }
        tell("\r\n");
      }
    }
  }
#elif HOW == ALL
  volatile unsigned wait;
  for (;;) {
    imprimo_console_write("by the ring\n", 12);
    say("by trace\n");
    tell("by the line\r\n");
    for (wait = 0; wait < 5000; ++wait) __asm__ volatile("nop");
  }
#elif HOW == TWO_RINGS
  volatile unsigned *second = (volatile unsigned *)0x20003000;
  imprimo_console_wait("first", 5);
  second[4] = 0x20003100, second[5] = 16, second[6] = 6, second[7] = 0, second[8] = 0, second[9] = 0;
  second[10] = 0, second[11] = 0, second[12] = 0, second[13] = 0;
  second[0x40] = 0x6F636573, second[0x41] = 0x0000646E;
  second[0] = 0x52504D49, second[1] = 0x474E4952, second[2] = 1, second[3] = ~(0x52504D49u ^ 0x474E4952u ^ 1u);
  hang();
#endif
}
