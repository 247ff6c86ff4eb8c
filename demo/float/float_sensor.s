@ SPDX-License-Identifier: GPL-3.0-or-later
@ The float sensor's firmware: counts ticks in RAM, sleeps between them, and ten times a second says on a console ring
@ (docs/formats/console-ring.md) how high the water stands and what its battery has.
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
        str     r1, [r0, #4]            @ beats
        bl      ring_setup
        ldr     r0, =greeting
        bl      say_text
        ldr     r2, =0xE000E010         @ SysTick: every 16000 clocks
        ldr     r1, =15999
        str     r1, [r2, #4]
        str     r1, [r2, #8]
        movs    r1, #7
        str     r1, [r2]
        movs    r4, #0                  @ reports so far
rest:
        wfi
        ldr     r0, =ticks
        ldr     r1, [r0, #4]
        cmp     r1, #100
        blo     rest
        movs    r1, #0
        str     r1, [r0, #4]
        bl      report
        adds    r4, #1
        b       rest

@ "level=1472 battery=3601": the water comes and goes within 64 reports, the battery is slowly used up.
        .thumb_func
report:
        push    {r4, lr}
        ldr     r0, =level_text
        bl      say_text
        movs    r0, #63
        ands    r0, r4
        cmp     r0, #31
        bls     1f
        movs    r1, #63
        subs    r0, r1, r0
1:      lsls    r0, r0, #4
        ldr     r1, =1200
        adds    r0, r0, r1
        bl      say_number
        ldr     r0, =battery_text
        bl      say_text
        lsrs    r1, r4, #3
        ldr     r0, =3601
        subs    r0, r0, r1
        bl      say_number
        movs    r0, #10
        bl      say
        pop     {r4, pc}

        .thumb_func
ring_setup:
        ldr     r0, =ring
        movs    r1, #0
        str     r1, [r0, #12]           @ no mark: whoever looks now sees no ring
        str     r1, [r0, #24]
        str     r1, [r0, #28]
        str     r1, [r0, #32]
        str     r1, [r0, #40]           @ it is told nothing
        str     r1, [r0, #44]
        ldr     r1, =ring_bytes
        str     r1, [r0, #16]
        ldr     r1, =RING_SIZE
        str     r1, [r0, #20]
        ldr     r1, =0x52504D49
        ldr     r2, =0x474E4952
        movs    r3, #1
        str     r1, [r0, #0]
        str     r2, [r0, #4]
        str     r3, [r0, #8]
        eors    r1, r2
        eors    r1, r3
        mvns    r1, r1
        str     r1, [r0, #12]
        bx      lr

        .thumb_func
say:                                    @ r0 a byte; one that finds no room is counted as lost
        ldr     r1, =ring
        ldr     r2, [r1, #24]
        ldr     r3, [r1, #28]
        subs    r3, r2, r3
        push    {r4}
        ldr     r4, =RING_SIZE
        cmp     r3, r4
        bhs     2f
        subs    r4, #1
        ands    r4, r2
        ldr     r3, =ring_bytes
        strb    r0, [r3, r4]
        adds    r2, #1
        str     r2, [r1, #24]
        pop     {r4}
        bx      lr
2:      ldr     r2, [r1, #32]
        adds    r2, #1
        str     r2, [r1, #32]
        pop     {r4}
        bx      lr

        .thumb_func
say_text:                               @ r0 its address; it ends with 0
        push    {r4, lr}
        mov     r4, r0
3:      ldrb    r0, [r4]
        adds    r4, #1
        cmp     r0, #0
        beq     4f
        bl      say
        b       3b
4:      pop     {r4, pc}

        .thumb_func
say_number:                             @ r0, four digits
        push    {r4, r5, r6, lr}
        mov     r4, r0
        ldr     r5, =1000
5:      movs    r0, #48
6:      cmp     r4, r5
        blo     7f
        subs    r4, r4, r5
        adds    r0, #1
        b       6b
7:      bl      say
        movs    r6, #100
        cmp     r5, r6
        bhi     8f                      @ 1000 → 100
        movs    r6, #10
        cmp     r5, r6
        bhi     8f                      @ 100 → 10
        movs    r6, #1
        cmp     r5, r6
        beq     9f
8:      mov     r5, r6
        b       5b
9:      pop     {r4, r5, r6, pc}

        .thumb_func
tick:
        ldr     r0, =ticks
        ldr     r1, [r0]
        adds    r1, #STEP
        str     r1, [r0]
        ldr     r1, [r0, #4]
        adds    r1, #1
        str     r1, [r0, #4]
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
greeting:
        .ascii  "Float sensor, release "
        .ascii  RELEASE
        .asciz  "\n"
level_text:
        .asciz  "level="
battery_text:
        .asciz  " battery="

        .section .notes, "a", %progbits
        .ascii  "Float sensor, release "
        .ascii  RELEASE
        .balign 4

        .equ    ticks, 0x20000010       @ and beats behind it
        .equ    ring, 0x20000100
        .equ    ring_bytes, 0x20000140
        .equ    RING_SIZE, 512
