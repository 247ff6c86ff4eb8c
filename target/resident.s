@ SPDX-License-Identifier: GPL-3.0-or-later
@ Runs a flash algorithm's function for each job of a ring, so that the next one is downloaded meanwhile. Its bytes are in
@ core/debug/resident_code.h; the tests compare the two.
@
@ r0 at the start: the mailbox
@   0 jobs given (host)   4 jobs done (here)   8 what a function returned that was no 0   12 to be left (host)
@   16 the function   20 the ring   24 bytes from one slot to the next   28 slots
@ A slot: 0 address, 4 bytes, 8 data.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .text
        .thumb_func
start:
        mov     r4, r0
around:
        ldr     r6, [r4, #20]
        ldr     r5, [r4, #28]
next:
        ldr     r0, [r4, #0]
        ldr     r1, [r4, #4]
        cmp     r0, r1
        beq     idle
        ldr     r0, [r6, #0]
        ldr     r1, [r6, #4]
        movs    r2, #8
        adds    r2, r2, r6
        ldr     r3, [r4, #16]
        blx     r3
        cmp     r0, #0
        bne     failed
        ldr     r1, [r4, #4]
        adds    r1, #1
        str     r1, [r4, #4]
        ldr     r2, [r4, #24]
        adds    r6, r6, r2
        subs    r5, #1
        bne     next
        b       around
idle:
        ldr     r0, [r4, #12]
        cmp     r0, #0
        beq     next
        bkpt    #0
failed:
        str     r0, [r4, #8]
        bkpt    #0
