@ SPDX-License-Identifier: GPL-3.0-or-later
@ A checksum of 64 bits of each of some sectors, so that what they hold need not be read to be compared. Its bytes are in
@ core/debug/resident_code.h; the tests compare the two.
@
@ r0 where the first sector begins   r1 bytes of each, a multiple of 64   r2 where the sums go   r3 how many sectors
@ A sum: two words a and b, from 0: for each word w of the sector a = (a rotated right by 7) + w, and after each four
@ words b = b + a.
        .syntax unified
        .cpu    cortex-m0
        .thumb

        .text
        .thumb_func
start:
        mov     r8, r1
        mov     r9, r2
        mov     r10, r3
        movs    r3, #7
sector:
        mov     r1, r8
        adds    r1, r1, r0
        mov     r12, r1
        movs    r1, #0
        movs    r2, #0
words:
        .rept   4
        ldmia   r0!, {r4-r7}
        rors    r1, r3
        adds    r1, r1, r4
        rors    r1, r3
        adds    r1, r1, r5
        rors    r1, r3
        adds    r1, r1, r6
        rors    r1, r3
        adds    r1, r1, r7
        adds    r2, r2, r1
        .endr
        cmp     r0, r12
        bne     words
        mov     r4, r9
        stmia   r4!, {r1, r2}
        mov     r9, r4
        mov     r4, r10
        subs    r4, #1
        mov     r10, r4
        bne     sector
        bx      lr
