@ SPDX-License-Identifier: GPL-3.0-or-later
@ The float sensor's firmware: counts ticks in RAM and sleeps between them.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .text
        .word   0x20004000              @ stack
        .word   start + 1
        .word   hang + 1                @ NMI
        .word   hang + 1                @ HardFault
        .space  4 * 11
        .word   tick + 1                @ SysTick
        .space  4 * 32

        .global start
        .thumb_func
start:
        .if     FAULTY                  @ a release that forgot where its clock is
        bl      clock_setup
        .endif
        ldr     r0, =ticks
        movs    r1, #0
        str     r1, [r0]
        ldr     r2, =0xE000E010         @ SysTick: every 16000 clocks
        ldr     r1, =15999
        str     r1, [r2, #4]
        str     r1, [r2, #8]
        movs    r1, #7
        str     r1, [r2]
rest:
        wfi
        b       rest

        .thumb_func
tick:
        ldr     r0, =ticks
        ldr     r1, [r0]
        adds    r1, #STEP
        str     r1, [r0]
        bx      lr

        .thumb_func
hang:
        b       hang
        .if     FAULTY
        .global clock_setup
        .thumb_func
clock_setup:
        push    {r4, lr}
        ldr     r0, =0x40021000
        movs    r1, #1
        ldr     r2, [r0, #16]
        orrs    r2, r1
        str     r2, [r0, #16]
        pop     {r4, pc}
        .endif
        .pool

        .section .notes, "a", %progbits
        .ascii  "Float sensor, release "
        .ascii  RELEASE
        .balign 4

        .equ    ticks, 0x20000010
