@ SPDX-License-Identifier: GPL-3.0-or-later
@ Flash algorithm of the Beck K0, of the CMSIS-Pack kind: position-independent, static data by r9.
@ Its flash controller: docs/formats/bench.md.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .equ    CONTROLLER, 0x40010000
        .equ    KEY, 0x0
        .equ    CONTROL, 0x4
        .equ    STATUS, 0x8
        .equ    ADDRESS, 0xC
        .equ    READY, 0x600D           @ what Init leaves in its static data

        .section PrgCode, "ax", %progbits

        .global Init
        .thumb_func
Init:                                   @ r0 address, r1 clock, r2 use
        ldr     r3, =CONTROLLER
        ldr     r0, =0x5A3C0001
        str     r0, [r3, #KEY]
        ldr     r0, =0xC3A5FFFE
        str     r0, [r3, #KEY]
        movs    r0, #2                  @ what somebody before was refused
        str     r0, [r3, #STATUS]
        ldr     r0, =READY
        mov     r1, r9
        str     r0, [r1]
        ldr     r0, [r3, #CONTROL]      @ bit 7: still locked
        lsrs    r0, r0, #7
        bx      lr

        .global UnInit
        .thumb_func
UnInit:                                 @ r0 use
        ldr     r3, =CONTROLLER
        movs    r0, #0x80
        str     r0, [r3, #CONTROL]
        movs    r0, #0
        bx      lr

        .global EraseChip
        .thumb_func
EraseChip:
        movs    r1, #0x44
        b       erase

        .global EraseSector
        .thumb_func
EraseSector:                            @ r0 address
        ldr     r3, =CONTROLLER
        str     r0, [r3, #ADDRESS]
        movs    r1, #0x42
erase:
        ldr     r3, =CONTROLLER
        ldr     r0, =READY
        mov     r2, r9
        ldr     r2, [r2]
        cmp     r0, r2
        bne     lost
        str     r1, [r3, #CONTROL]
wait:
        ldr     r1, [r3, #STATUS]
        lsls    r2, r1, #31
        bmi     wait
        lsls    r2, r1, #30
        bmi     refused
        movs    r0, #0
        bx      lr
refused:
        movs    r0, #2
        str     r0, [r3, #STATUS]
        movs    r0, #1
        bx      lr
lost:
        movs    r0, #3
        bx      lr

        .global ProgramPage
        .thumb_func
ProgramPage:                            @ r0 address, r1 bytes, r2 buffer
        push    {r4, r5, lr}
        ldr     r3, =CONTROLLER
        movs    r4, #1
        str     r4, [r3, #CONTROL]
        adds    r1, #3
        lsrs    r1, r1, #2
next:
        beq     done
        ldr     r4, [r2]
        str     r4, [r0]
busy:
        ldr     r5, [r3, #STATUS]
        lsls    r4, r5, #31
        bmi     busy
        lsls    r4, r5, #30
        bmi     failed
        adds    r0, #4
        adds    r2, #4
        subs    r1, #1
        b       next
done:
        str     r1, [r3, #CONTROL]
        movs    r0, #0
        pop     {r4, r5, pc}
failed:
        movs    r0, #2
        str     r0, [r3, #STATUS]
        movs    r0, #1
        pop     {r4, r5, pc}
        .pool

        .section PrgData, "aw", %progbits
ready:  .word   0

        .section DevDscr, "a", %progbits
        .global FlashDevice
FlashDevice:
        .hword  0x0101
name:   .ascii  "Beck K0 256 KiB"
        .space  128 - (. - name)
        .hword  1                       @ on the chip
        .word   0x00000000, 0x40000     @ address, size
        .word   0x100, 0                @ page
        .byte   0xFF, 0, 0, 0           @ erased value
        .word   10, 100                 @ ms: a page, a sector
        .word   0x1000, 0
        .word   0xFFFFFFFF, 0xFFFFFFFF
