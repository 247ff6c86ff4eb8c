@ SPDX-License-Identifier: GPL-3.0-or-later
@ Flash algorithm of the serial flash beside the Beck K0, of the CMSIS-Pack kind: it is mapped into the address space
@ while no use is open. Its controller: docs/formats/bench.md.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .equ    CONTROLLER, 0x40050000
        .equ    CONTROL, 0x0
        .equ    COMMAND, 0x4
        .equ    ADDRESS, 0x8
        .equ    DATA, 0xC
        .equ    STATUS, 0x10

        .section PrgCode, "ax", %progbits

        .global Init
        .thumb_func
Init:                                   @ r0 address, r1 clock, r2 use
        ldr     r3, =CONTROLLER
        movs    r0, #0                  @ commands, no mapping
        str     r0, [r3, #CONTROL]
        mov     r1, r9
        str     r3, [r1]
        bx      lr

        .global UnInit
        .thumb_func
UnInit:                                 @ r0 use
        ldr     r3, =CONTROLLER
        movs    r0, #1
        str     r0, [r3, #CONTROL]
        movs    r0, #0
        bx      lr

        .global EraseSector
        .thumb_func
EraseSector:                            @ r0 address
        ldr     r3, =CONTROLLER
        movs    r1, #0x06
        str     r1, [r3, #COMMAND]
        lsls    r0, r0, #8              @ without the address space's part
        lsrs    r0, r0, #8
        str     r0, [r3, #ADDRESS]
        movs    r1, #0x20
        str     r1, [r3, #COMMAND]
        b       wait

        .global ProgramPage
        .thumb_func
ProgramPage:                            @ r0 address, r1 bytes, r2 buffer
        push    {r4, lr}
        ldr     r3, =CONTROLLER
        movs    r4, #0x06
        str     r4, [r3, #COMMAND]
        lsls    r0, r0, #8
        lsrs    r0, r0, #8
        str     r0, [r3, #ADDRESS]
        adds    r1, #3
        lsrs    r1, r1, #2
next:
        beq     given
        ldr     r4, [r2]
        str     r4, [r3, #DATA]
        adds    r2, #4
        subs    r1, #1
        b       next
given:
        movs    r4, #0x02
        str     r4, [r3, #COMMAND]
        pop     {r4}
        pop     {r0}
        mov     lr, r0
wait:
        ldr     r1, [r3, #STATUS]
        lsrs    r1, r1, #1
        bcs     wait
        movs    r0, #0
        bx      lr
        .pool

        .section PrgData, "aw", %progbits
place:  .word   0

        .section DevDscr, "a", %progbits
        .global FlashDevice
FlashDevice:
        .hword  0x0101
name:   .ascii  "Flash beside a Beck K0, 1 MiB"
        .space  128 - (. - name)
        .hword  5                       @ serial, beside the chip
        .word   0x60000000, 0x100000    @ address, size
        .word   0x100, 0                @ page
        .byte   0xFF, 0, 0, 0           @ erased value
        .word   10, 200                 @ ms: a page, a sector
        .word   0x1000, 0
        .word   0xFFFFFFFF, 0xFFFFFFFF
