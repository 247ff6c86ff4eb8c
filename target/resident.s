@ SPDX-License-Identifier: GPL-3.0-or-later
@ Runs a flash algorithm's function for each job of a ring, so that the next one is downloaded meanwhile. Its bytes are in
@ core/debug/resident_code.h; the tests compare the two.
@
@ r0 at the start: the mailbox
@   0 jobs given (host)   4 jobs done (here)   8 what a function returned that was no 0   12 to be left when all given
@   are done (host)   16 the ring   20 bytes from one slot to the next   24 slots
@ A slot: what the function is given in r0, r1 and r2, 12 the function, 16 data.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .text
        .thumb_func
start:
        mov     r4, r0
around:
        ldr     r6, [r4, #16]
        ldr     r5, [r4, #24]
next:
        ldr     r2, [r4, #12]           @ before what is given, which is written before it
        ldr     r0, [r4, #0]
        ldr     r1, [r4, #4]
        cmp     r0, r1
        beq     idle
        mov     r3, r6
        ldmia   r3, {r0-r3}
        blx     r3
        cmp     r0, #0
        bne     failed
        ldr     r1, [r4, #4]
        adds    r1, #1
        str     r1, [r4, #4]
        ldr     r2, [r4, #20]
        adds    r6, r6, r2
        subs    r5, #1
        bne     next
        b       around
idle:
        cmp     r2, #0
        beq     next
        bkpt    #0
failed:
        str     r0, [r4, #8]
        bkpt    #0
