@ SPDX-License-Identifier: GPL-3.0-or-later
@ Random sequences of data-processing instructions are made in RAM and carried out; registers and flags of all of them go
@ into a check sum, which is printed now and then by semihosting. Two processors that print the same agree.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .equ    STACK, 0x20003000
        .equ    CODE, 0x20000100        @ where a sequence is made
        .equ    LINE, 0x20000200        @ what is printed
        .equ    SEQUENCES, 200          @ for one line
        .equ    LINES, 1100

        .text
        .word   STACK, start + 1, bad + 1, bad + 1
        .space  4 * 12

        .thumb_func
start:
        ldr     r0, =0x2545F491
        mov     r8, r0                  @ the random number
        movs    r0, #0
        mov     r9, r0                  @ the check sum
        ldr     r7, =LINES
nextLine:
        push    {r7}
        movs    r6, #SEQUENCES
nextSequence:
        push    {r6}
        bl      make
        sub     sp, #40
        mov     r5, sp
        movs    r4, #9                  @ r0 to r7 and the flags
fill:
        bl      random
        stmia   r5!, {r0}
        subs    r4, #1
        bne     fill
        ldr     r0, [sp, #32]
        msr     apsr_nzcvq, r0
        ldr     r0, =CODE + 1
        mov     r10, r0
        mov     r11, sp
        pop     {r0, r1, r2, r3, r4, r5, r6, r7}
        blx     r10
        push    {r0, r1, r2, r3, r4, r5, r6, r7}
        mrs     r0, apsr
        lsrs    r0, r0, #28
        bl      fold
        movs    r4, #8
foldAll:
        pop     {r0}
        bl      fold
        subs    r4, #1
        bne     foldAll
        add     sp, #8                  @ the flags, and what keeps the stack at eight
        pop     {r6}
        subs    r6, #1
        bne     nextSequence
        bl      print
        pop     {r7}
        subs    r7, #1
        bne     nextLine
        movs    r0, #0x18               @ the end
        ldr     r1, =0x20026
        bkpt    #0xAB
stop:   b       stop

        .thumb_func
bad:
        ldr     r1, =wrong
        movs    r0, #4
        bkpt    #0xAB
        movs    r0, #0x18
        ldr     r1, =0x20023
        bkpt    #0xAB
        b       bad

@ r0: the next random number (xorshift); r1 to r3 are changed
        .thumb_func
random:
        mov     r0, r8
        lsls    r1, r0, #13
        eors    r0, r1
        lsrs    r1, r0, #17
        eors    r0, r1
        lsls    r1, r0, #5
        eors    r0, r1
        mov     r8, r0
        bx      lr

@ Adds r0 to the check sum; r1, r2 are changed
        .thumb_func
fold:
        mov     r1, r9
        movs    r2, #27
        rors    r1, r2
        eors    r1, r0
        ldr     r2, =0x01000193
        muls    r1, r2
        mov     r9, r1
        bx      lr

@ Six instructions and BX LR. 0x0000 to 0x43FF are those that work on r0 to r7 alone; one in eight is of 0xB200 to
@ 0xB2FF (extending) or 0xBA00 to 0xBA7F and 0xBAC0 to 0xBAFF (reversing).
        .thumb_func
make:
        push    {r4, r5, lr}
        ldr     r4, =CODE
        movs    r5, #6
again:
        bl      random
        lsrs    r1, r0, #29
        beq     other
        lsls    r0, r0, #17
        lsrs    r0, r0, #17
        ldr     r1, =0x4400
        cmp     r0, r1
        bhs     again
        b       put
other:
        uxtb    r1, r0
        lsrs    r0, r0, #9
        bcs     reverse
        ldr     r0, =0xB200
        orrs    r0, r1
        b       put
reverse:
        lsrs    r0, r1, #6
        cmp     r0, #2
        beq     again
        ldr     r0, =0xBA00
        orrs    r0, r1
put:
        strh    r0, [r4]
        adds    r4, #2
        subs    r5, #1
        bne     again
        ldr     r0, =0x4770
        strh    r0, [r4]
        pop     {r4, r5, pc}

@ The check sum in eight digits
        .thumb_func
print:
        ldr     r1, =LINE
        movs    r2, #8
        mov     r3, r9
digit:
        lsrs    r0, r3, #28
        lsls    r3, r3, #4
        cmp     r0, #10
        blo     isDigit
        adds    r0, #'a' - '0' - 10
isDigit:
        adds    r0, #'0'
        strb    r0, [r1]
        adds    r1, #1
        subs    r2, #1
        bne     digit
        movs    r0, #10
        strb    r0, [r1]
        movs    r0, #0
        strb    r0, [r1, #1]
        ldr     r1, =LINE
        movs    r0, #4
        bkpt    #0xAB
        bx      lr
        .pool
wrong:  .asciz  "fault\n"
        .balign 4
