@ SPDX-License-Identifier: GPL-3.0-or-later
@ The supervisor's firmware: keeps a heartbeat in RAM, ten times a second, and sleeps between.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .text
        .word   0x20004000              @ stack
        .word   start + 1
        .word   hang + 1                @ NMI
        .word   hard_fault + 1
        .space  4 * 11
        .word   tick + 1                @ SysTick
        .space  4 * 32

        .global start
        .thumb_func
start:
        ldr     r0, =heartbeat
        movs    r1, #0
        str     r1, [r0]
        ldr     r2, =0xE000E010         @ SysTick: every 1 600 000 clocks
        ldr     r1, =1599999
        str     r1, [r2, #4]
        str     r1, [r2, #8]
        movs    r1, #7
        str     r1, [r2]
rest:
        wfi
        b       rest

        .global tick
        .thumb_func
tick:
        ldr     r0, =heartbeat
        ldr     r1, [r0]
        adds    r1, #STEP
        str     r1, [r0]
        bx      lr

        .global hard_fault
        .thumb_func
hard_fault:
        b       hard_fault

        .thumb_func
hang:
        b       hang
        .pool

        .section .notes, "a", %progbits
        .ascii  "Supervisor, release "
        .ascii  RELEASE
        .balign 4

        .equ    heartbeat, 0x20000010
