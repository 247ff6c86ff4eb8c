@ SPDX-License-Identifier: GPL-3.0-or-later
@ Exceptions, stacks, loads and stores of each width, calls: each check prints a letter, at last a line.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .equ    OUT, 0x20000100
        .equ    DATA, 0x20000200

        .text
        .word   0x20003000, start + 1, bad + 1, fault + 1
        .space  4 * 7
        .word   service + 1             @ SVC
        .space  4 * 2
        .word   pend + 1                @ PendSV
        .word   tick + 1                @ SysTick
        .word   first + 1               @ external interrupt 0

        .macro  say letter
        movs    r0, #\letter
        bl      put
        .endm

        .macro  same                    @ what was compared is equal
        beq     1f
        b       bad
1:
        .endm

        .thumb_func
start:
        ldr     r7, =OUT
        ldr     r4, =DATA               @ widths
        ldr     r0, =0x8091A2F3
        str     r0, [r4]
        ldrb    r1, [r4, #3]
        cmp     r1, #0x80
        same
        ldrh    r1, [r4, #2]
        ldr     r2, =0x8091
        cmp     r1, r2
        same
        movs    r1, #0
        ldrsb   r2, [r4, r1]
        movs    r3, #0xC
        mvns    r3, r3
        cmp     r2, r3
        same
        movs    r1, #2
        ldrsh   r2, [r4, r1]
        asrs    r3, r0, #16
        cmp     r2, r3
        same
        strb    r1, [r4, #1]
        strh    r1, [r4, #2]
        ldr     r2, [r4]
        ldr     r3, =0x000202F3
        cmp     r2, r3
        same
        say     'w'
        movs    r0, #5                  @ a service call changes r0
        svc     #7
        cmp     r0, #12
        same
        say     's'
        movs    r1, #0
        cpsid   i                       @ PendSV waits for PRIMASK
        ldr     r0, =0xE000ED04
        ldr     r2, =0x10000000
        str     r2, [r0]
        isb
        say     'm'
        cpsie   i
        isb
        cmp     r1, #0                  @ r1 comes back as it was
        same
        say     'n'
        ldr     r0, =0xE000E100         @ external interrupt 0
        movs    r1, #1
        str     r1, [r0]
        ldr     r0, =0xE000E200
        str     r1, [r0]
        isb
        say     'o'
        ldr     r0, =0x20002800         @ the process stack
        msr     psp, r0
        movs    r0, #2
        msr     control, r0
        isb
        push    {r0}
        mrs     r1, psp
        ldr     r2, =0x200027FC
        cmp     r1, r2
        same
        movs    r0, #1
        svc     #7
        cmp     r0, #8
        same
        pop     {r0}
        movs    r0, #0
        msr     control, r0
        isb
        say     'p'
        ldr     r0, =0xE000E010         @ SysTick ends a sleep
        ldr     r1, =60000              @ long enough for an emulator that is interrupted itself
        str     r1, [r0, #4]
        str     r1, [r0, #8]
        movs    r1, #7
        str     r1, [r0]
        wfi
        movs    r1, #0
        str     r1, [r0]
        say     't'
        ldr     r0, =0x20000001         @ a word at an odd address: HardFault, which steps over it
        ldr     r1, [r0]
        say     'u'
        ldr     r0, =0x30000000         @ where nothing is
        ldr     r1, [r0]
        say     'v'
        ldr     r4, =DATA
        movs    r0, #1
        movs    r1, #2
        movs    r2, #3
        stmia   r4!, {r0, r1, r2}
        subs    r4, #12
        ldmia   r4, {r1, r2, r4}        @ the base is in the list: no write-back
        cmp     r4, #3
        same
        say     'x'
        movs    r0, #10
        bl      put
        movs    r0, #0
        strb    r0, [r7]
        ldr     r1, =OUT
        movs    r0, #4
        bkpt    #0xAB
        movs    r0, #0x18
        ldr     r1, =0x20026
        bkpt    #0xAB
stop:   b       stop

        .thumb_func
put:
        strb    r0, [r7]
        adds    r7, #1
        bx      lr
        .pool

        .thumb_func
bad:
        movs    r0, #'!'
        strb    r0, [r7]
        movs    r0, #0
        strb    r0, [r7, #1]
        ldr     r1, =OUT
        movs    r0, #4
        bkpt    #0xAB
        movs    r0, #0x18
        ldr     r1, =0x20023
        bkpt    #0xAB
        b       bad

@ r0 of the caller becomes r0 plus the number of the call
        .thumb_func
service:
        mov     r1, lr
        movs    r2, #4
        tst     r1, r2
        beq     mainStack
        mrs     r1, psp
        b       framed
mainStack:
        mrs     r1, msp
framed:
        ldr     r2, [r1, #24]
        subs    r2, #2
        ldrb    r2, [r2]
        ldr     r3, [r1]
        adds    r3, r2
        str     r3, [r1]
        bx      lr

        .thumb_func
pend:
        movs    r0, #'P'
        b       note
        .thumb_func
tick:
        ldr     r1, =0xE000E010         @ once is enough
        movs    r0, #0
        str     r0, [r1]
        movs    r0, #'T'
        b       note
        .thumb_func
first:
        movs    r0, #'1'
note:
        push    {r0, lr}
        bl      put
        mov     r2, sp                  @ the frame of r7 is not stacked: OUT's end goes on
        pop     {r0, pc}

        .thumb_func
fault:
        mrs     r1, msp
        ldr     r2, [r1, #24]
        adds    r2, #2
        str     r2, [r1, #24]
        push    {r0, lr}
        movs    r0, #'F'
        bl      put
        pop     {r0, pc}
        .pool
        .balign 4
