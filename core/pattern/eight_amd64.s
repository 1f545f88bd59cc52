#include "textflag.h"

// The loops of ink.go and hatch.go at eight places at once, the same to the bit.

DATA half<>+0(SB)/4, $0x3f000000
GLOBL half<>(SB), RODATA|NOPTR, $4
DATA one<>+0(SB)/4, $0x3f800000
GLOBL one<>(SB), RODATA|NOPTR, $4
DATA two<>+0(SB)/4, $0x40000000
GLOBL two<>(SB), RODATA|NOPTR, $4
DATA three<>+0(SB)/4, $0x40400000
GLOBL three<>(SB), RODATA|NOPTR, $4
DATA four<>+0(SB)/4, $0x40800000
GLOBL four<>(SB), RODATA|NOPTR, $4
DATA five<>+0(SB)/4, $0x40a00000
GLOBL five<>(SB), RODATA|NOPTR, $4
DATA levels<>+0(SB)/4, $0x42000000 // 32
GLOBL levels<>(SB), RODATA|NOPTR, $4
DATA lastLevel<>+0(SB)/4, $31
GLOBL lastLevel<>(SB), RODATA|NOPTR, $4
DATA shares<>+0(SB)/4, $0x42800000 // 64
GLOBL shares<>(SB), RODATA|NOPTR, $4
DATA lastShare<>+0(SB)/4, $63
GLOBL lastShare<>(SB), RODATA|NOPTR, $4
DATA steps<>+0(SB)/4, $0x44000000 // 512
GLOBL steps<>(SB), RODATA|NOPTR, $4
DATA size<>+0(SB)/4, $0x7fffffff // all but the sign
GLOBL size<>(SB), RODATA|NOPTR, $4
DATA unit<>+0(SB)/4, $1
GLOBL unit<>(SB), RODATA|NOPTR, $4

// Chance.
DATA scatterA<>+0(SB)/4, $0x7feb352d
GLOBL scatterA<>(SB), RODATA|NOPTR, $4
DATA scatterB<>+0(SB)/4, $0x846ca68b
GLOBL scatterB<>(SB), RODATA|NOPTR, $4
DATA nextRow<>+0(SB)/4, $0x8da6b343
GLOBL nextRow<>(SB), RODATA|NOPTR, $4
DATA chance<>+0(SB)/4, $0x33800000 // 1/(1<<24)
GLOBL chance<>(SB), RODATA|NOPTR, $4

// Strokes.
DATA wobbleAlong<>+0(SB)/4, $0x3de147ae // 0.11
GLOBL wobbleAlong<>(SB), RODATA|NOPTR, $4
DATA wobbleAcross<>+0(SB)/4, $0x3e570a3d // 0.21
GLOBL wobbleAcross<>(SB), RODATA|NOPTR, $4
DATA roughAlong<>+0(SB)/4, $0x3fa66666 // 1.3
GLOBL roughAlong<>(SB), RODATA|NOPTR, $4
DATA endAlong<>+0(SB)/4, $0x3f1c28f6 // 0.61
GLOBL endAlong<>(SB), RODATA|NOPTR, $4
DATA leastEdge<>+0(SB)/4, $0x3a83126f // 1e-3
GLOBL leastEdge<>(SB), RODATA|NOPTR, $4
DATA leastFoot<>+0(SB)/4, $0x38d1b717 // 1e-4
GLOBL leastFoot<>(SB), RODATA|NOPTR, $4
DATA fades<>+0(SB)/4, $0x3f19999a // 0.6
GLOBL fades<>(SB), RODATA|NOPTR, $4

// Bounds V to 0 and 1; what is no number is 0. ZERO and ONE are registers that hold them.
#define PART(V, ZERO, ONE) \
	VMAXPS ZERO, V, V \
	VMINPS ONE, V, V

// V·V·(3-2·V), from 0 to 1; T is lost.
#define SMOOTH(V, T, THREE) \
	VADDPS V, V, T     \
	VSUBPS T, THREE, T \
	VMULPS V, V, V     \
	VMULPS T, V, V

// Reads the pairs at table AX whose offsets in bytes lie at O on the stack: their first numbers to
// P, their second to Q, which are halves of XP and XQ.
#define PAIRS(O, XP, YP, XQ, YQ) \
	MOVL        O+0(SP), R8          \
	MOVL        O+4(SP), R9          \
	MOVL        O+16(SP), R10        \
	MOVL        O+20(SP), R11        \
	VMOVSD      (AX)(R8*1), XP       \
	VMOVHPS     (AX)(R9*1), XP, XP   \
	VMOVSD      (AX)(R10*1), X15     \
	VMOVHPS     (AX)(R11*1), X15, X15 \
	VINSERTF128 $1, X15, YP, YP      \
	MOVL        O+8(SP), R8          \
	MOVL        O+12(SP), R9         \
	MOVL        O+24(SP), R10        \
	MOVL        O+28(SP), R11        \
	VMOVSD      (AX)(R8*1), XQ       \
	VMOVHPS     (AX)(R9*1), XQ, XQ   \
	VMOVSD      (AX)(R10*1), X15     \
	VMOVHPS     (AX)(R11*1), X15, X15 \
	VINSERTF128 $1, X15, YQ, YQ      \
	VSHUFPS     $0x88, YQ, YP, Y15   \
	VSHUFPS     $0xdd, YQ, YP, YQ    \
	VMOVAPS     Y15, YP

// A goes to B by T; B is lost.
#define TOWARDS(A, B, T) \
	VSUBPS A, B, B \
	VMULPS T, B, B \
	VADDPS B, A, A

#define o00 0
#define o10 32
#define o01 64
#define o11 96

// The offsets of the four places about V = y and U = x, in places of the cell, to the stack, and how
// far between them to U and V. Y4 is what is added to all; Y5 to Y10 are lost.
#define ABOUT(U, V) \
	VBROADCASTSS 56(DI), Y5   \
	VROUNDPS     $9, U, Y6    \
	VROUNDPS     $9, V, Y7    \
	VSUBPS       Y6, U, U     \
	VSUBPS       Y7, V, V     \
	VCVTTPS2DQ   Y6, Y6       \
	VCVTTPS2DQ   Y7, Y7       \
	VBROADCASTSS unit<>(SB), Y10 \
	VPADDD       Y10, Y6, Y8  \
	VPADDD       Y10, Y7, Y9  \
	VPAND        Y5, Y6, Y6   \
	VPAND        Y5, Y7, Y7   \
	VPAND        Y5, Y8, Y8   \
	VPAND        Y5, Y9, Y9   \
	VBROADCASTSS 60(DI), Y5   \
	VPMULLD      Y5, Y6, Y6   \
	VPMULLD      Y5, Y8, Y8   \
	VBROADCASTSS 64(DI), Y5   \
	VPMULLD      Y5, Y7, Y7   \
	VPMULLD      Y5, Y9, Y9   \
	VPADDD       Y4, Y7, Y7   \
	VPADDD       Y4, Y9, Y9   \
	VPADDD       Y6, Y7, Y10  \
	VMOVDQU      Y10, o00(SP) \
	VPADDD       Y8, Y7, Y10  \
	VMOVDQU      Y10, o10(SP) \
	VPADDD       Y6, Y9, Y10  \
	VMOVDQU      Y10, o01(SP) \
	VPADDD       Y8, Y9, Y10  \
	VMOVDQU      Y10, o11(SP)

// What lies at U, V between the four places about them: the first numbers to Y4, the second to Y5.
#define BETWEEN(U, V) \
	PAIRS(o00, X4, Y4, X5, Y5) \
	PAIRS(o10, X6, Y6, X7, Y7) \
	TOWARDS(Y4, Y6, U)         \
	TOWARDS(Y5, Y7, U)         \
	PAIRS(o01, X6, Y6, X7, Y7) \
	PAIRS(o11, X8, Y8, X9, Y9) \
	TOWARDS(Y6, Y8, U)         \
	TOWARDS(Y7, Y9, U)         \
	TOWARDS(Y4, Y6, V)         \
	TOWARDS(Y5, Y7, V)

// Readies a loop over a look, and its end: Y13 is 0, Y14 is 1.
#define BEGIN \
	MOVQ         l+0(FP), DI  \
	MOVQ         n+8(FP), CX  \
	MOVQ         0(DI), SI    \
	MOVQ         8(DI), DX    \
	MOVQ         16(DI), BX   \
	MOVQ         24(DI), R12  \
	MOVQ         32(DI), AX   \
	VXORPS       Y13, Y13, Y13 \
	VBROADCASTSS one<>(SB), Y14 \
	XORQ         R13, R13

// Loads what is asked to Y0, and leaves to EVEN where all of that is nothing or all.
#define ASKED(EVEN) \
	VMOVUPS   (BX)(R13*4), Y0     \
	VCMPPS    $0x1e, Y13, Y0, Y4  \
	VCMPPS    $1, Y14, Y0, Y5     \
	VANDPS    Y5, Y4, Y4          \
	VMOVMSKPS Y4, R8              \
	TESTL     R8, R8              \
	JZ        EVEN

// Loads the place, in places of the cell, to Y1 and Y2.
#define PLACE \
	VBROADCASTSS 52(DI), Y11       \
	VBROADCASTSS half<>(SB), Y12   \
	VMULPS       (SI)(R13*4), Y11, Y1 \
	VMULPS       (DX)(R13*4), Y11, Y2 \
	VSUBPS       Y12, Y1, Y1       \
	VSUBPS       Y12, Y2, Y2

// Stores Y4, but 0 where nothing is asked and 1 where all is.
#define STORE \
	VCMPPS    $0x1e, Y13, Y0, Y5  \
	VANDPS    Y5, Y4, Y4          \
	VCMPPS    $0x1d, Y14, Y0, Y5  \
	VBLENDVPS Y5, Y14, Y4, Y4     \
	VMOVUPS   Y4, (R12)(R13*4)

// func tableAVX2(l *look, n int)
TEXT ·tableAVX2(SB), NOSPLIT, $128-16
	BEGIN

table:
	ASKED(tableEven)

	// The level to Y3: its whole part to Y4, in bytes, the rest to Y3.
	VSUBPS       Y0, Y14, Y4
	VMINPS       Y4, Y0, Y4
	VBROADCASTSS half<>(SB), Y5
	VMULPS       Y5, Y4, Y4
	VMAXPS       Y13, Y4, Y4
	VSQRTPS      Y4, Y4
	VSUBPS       Y4, Y14, Y6
	VCMPPS       $1, Y5, Y0, Y5
	VBLENDVPS    Y5, Y4, Y6, Y3
	VBROADCASTSS levels<>(SB), Y5
	VMULPS       Y5, Y3, Y3
	VCVTTPS2DQ   Y3, Y4
	VPBROADCASTD lastLevel<>(SB), Y5
	VPMINSD      Y5, Y4, Y4
	VCVTDQ2PS    Y4, Y5
	VSUBPS       Y5, Y3, Y3
	VPSLLD       $2, Y4, Y4

	PLACE
	ABOUT(Y1, Y2)
	BETWEEN(Y1, Y2)
	TOWARDS(Y4, Y5, Y3)
	PART(Y4, Y13, Y14)

tableEven:
	STORE
	ADDQ $8, R13
	CMPQ R13, CX
	JLT  table
	VZEROUPPER
	RET

// func ranksAVX2(l *look, n int)
TEXT ·ranksAVX2(SB), NOSPLIT, $128-16
	BEGIN

ranks:
	ASKED(ranksEven)

	// The rank about which ink fades to Y3.
	MOVQ         40(DI), AX
	VBROADCASTSS shares<>(SB), Y5
	VMAXPS       Y13, Y0, Y4
	VMINPS       Y14, Y4, Y4
	VMULPS       Y5, Y4, Y3
	VCVTTPS2DQ   Y3, Y4
	VPBROADCASTD lastShare<>(SB), Y5
	VPMINSD      Y5, Y4, Y4
	VCVTDQ2PS    Y4, Y5
	VSUBPS       Y5, Y3, Y3
	VPSLLD       $2, Y4, Y4
	VMOVDQU      Y4, o00(SP)
	PAIRS(o00, X4, Y4, X5, Y5)
	TOWARDS(Y4, Y5, Y3)
	VMOVAPS      Y4, Y3
	MOVQ         32(DI), AX

	PLACE
	VXORPS       Y4, Y4, Y4
	ABOUT(Y1, Y2)
	BETWEEN(Y1, Y2)
	VSUBPS       Y4, Y3, Y4

	// Softer by as much as is said.
	VBROADCASTSS 48(DI), Y6
	VCOMISS      X13, X6
	JEQ          hard
	VMULPS       Y6, Y6, Y6
	VMULPS       Y5, Y5, Y5
	VADDPS       Y5, Y6, Y5
	VSQRTPS      Y5, Y5

hard:
	VDIVPS       Y5, Y4, Y4
	VBROADCASTSS half<>(SB), Y6
	VADDPS       Y6, Y4, Y4
	PART(Y4, Y13, Y14)
	VBROADCASTSS three<>(SB), Y6
	SMOOTH(Y4, Y5, Y6)

ranksEven:
	STORE
	ADDQ $8, R13
	CMPQ R13, CX
	JLT  ranks
	VZEROUPPER
	RET

// func sharesAVX2(out, asked, table *float32, n, stride, layers int)
TEXT ·sharesAVX2(SB), NOSPLIT, $32-48
	MOVQ         out+0(FP), DI
	MOVQ         asked+8(FP), SI
	MOVQ         n+24(FP), CX
	LEAQ         (SI)(CX*4), BX // where what is asked ends
	MOVQ         stride+32(FP), CX
	VXORPS       Y13, Y13, Y13
	VBROADCASTSS one<>(SB), Y14
	VBROADCASTSS steps<>(SB), Y12

share:
	VMOVUPS    (SI), Y0
	PART(Y0, Y13, Y14)
	VSUBPS     Y0, Y14, Y0
	VSQRTPS    Y0, Y0
	VMULPS     Y12, Y0, Y0
	VCVTTPS2DQ Y0, Y4
	VCVTDQ2PS  Y4, Y5
	VSUBPS     Y5, Y0, Y0
	VPSLLD     $2, Y4, Y4
	VMOVDQU    Y4, o00(SP)
	MOVQ       table+16(FP), AX
	MOVQ       layers+40(FP), R12
	MOVQ       DI, DX

layer:
	PAIRS(o00, X4, Y4, X5, Y5)
	TOWARDS(Y4, Y5, Y0)
	VMOVUPS Y4, (DX)
	ADDQ    $(514*4), AX
	LEAQ    (DX)(CX*4), DX
	DECQ    R12
	JNZ     layer
	ADDQ    $32, SI
	ADDQ    $32, DI
	CMPQ    SI, BX
	JLT     share
	VZEROUPPER
	RET

// Scatters the bits of N: Chance, as a number from 0 to 1<<24. T is lost; A and B are registers that
// hold scatterA and scatterB.
#define CHANCE(N, T, A, B) \
	VPSRLD    $16, N, T  \
	VPXOR     T, N, N    \
	VPMULLD   A, N, N    \
	VPSRLD    $15, N, T  \
	VPXOR     T, N, N    \
	VPMULLD   B, N, N    \
	VPSRLD    $16, N, T  \
	VPXOR     T, N, N    \
	VPSRLD    $8, N, N   \
	VCVTDQ2PS N, N

// Sway at Y0, Y1, of the seeds in Y15, to Y0; Y0 to Y8 are lost.
#define SWAY \
	VROUNDPS     $9, Y0, Y2        \
	VROUNDPS     $9, Y1, Y3        \
	VSUBPS       Y2, Y0, Y0        \
	VSUBPS       Y3, Y1, Y1        \
	VCVTTPS2DQ   Y2, Y2            \
	VCVTTPS2DQ   Y3, Y3            \
	VBROADCASTSS three<>(SB), Y8   \
	SMOOTH(Y0, Y4, Y8)             \
	SMOOTH(Y1, Y4, Y8)             \
	VPBROADCASTD nextRow<>(SB), Y7 \
	VPBROADCASTD unit<>(SB), Y8    \
	VPMULLD      Y7, Y3, Y3        \
	VPADDD       Y3, Y2, Y2        \
	VPADDD       Y8, Y2, Y3        \
	VPADDD       Y7, Y2, Y4        \
	VPADDD       Y7, Y3, Y5        \
	VPXOR        Y15, Y2, Y2       \
	VPXOR        Y15, Y3, Y3       \
	VPXOR        Y15, Y4, Y4       \
	VPXOR        Y15, Y5, Y5       \
	VPBROADCASTD scatterA<>(SB), Y7 \
	VPBROADCASTD scatterB<>(SB), Y8 \
	CHANCE(Y2, Y6, Y7, Y8)         \
	CHANCE(Y3, Y6, Y7, Y8)         \
	CHANCE(Y4, Y6, Y7, Y8)         \
	CHANCE(Y5, Y6, Y7, Y8)         \
	TOWARDS(Y2, Y3, Y0)            \
	TOWARDS(Y4, Y5, Y0)            \
	TOWARDS(Y2, Y4, Y1)            \
	VBROADCASTSS chance<>(SB), Y3  \
	VMULPS       Y3, Y2, Y0        \
	VADDPS       Y0, Y0, Y0        \
	VBROADCASTSS one<>(SB), Y3     \
	VSUBPS       Y3, Y0, Y0

// Sway of a stroke at Y0, of the seeds in Y15, to Y0; Y1 is the number of the row, and Y0 to Y8 are lost.
#define SWAYS \
	VROUNDPS     $9, Y0, Y2        \
	VSUBPS       Y2, Y0, Y0        \
	VCVTTPS2DQ   Y2, Y2            \
	VBROADCASTSS three<>(SB), Y8   \
	SMOOTH(Y0, Y4, Y8)             \
	VPBROADCASTD nextRow<>(SB), Y7 \
	VPBROADCASTD unit<>(SB), Y8    \
	VPMULLD      Y7, Y1, Y1        \
	VPADDD       Y1, Y2, Y2        \
	VPADDD       Y8, Y2, Y3        \
	VPXOR        Y15, Y2, Y2       \
	VPXOR        Y15, Y3, Y3       \
	VPBROADCASTD scatterA<>(SB), Y7 \
	VPBROADCASTD scatterB<>(SB), Y8 \
	CHANCE(Y2, Y6, Y7, Y8)         \
	CHANCE(Y3, Y6, Y7, Y8)         \
	TOWARDS(Y2, Y3, Y0)            \
	VBROADCASTSS chance<>(SB), Y3  \
	VMULPS       Y3, Y2, Y0        \
	VADDPS       Y0, Y0, Y0        \
	VBROADCASTSS one<>(SB), Y3     \
	VSUBPS       Y3, Y0, Y0

// The integral of a tent up to V, less ½, to V: bounded to -1 and 1, then V·(1-½|V|). MINUS is a
// register that holds -1; T is lost.
#define RISEN(V, T, MINUS, ONE, HALF, SIZE) \
	VMAXPS MINUS, V, V \
	VMINPS ONE, V, V   \
	VANDPS SIZE, V, T  \
	VMULPS HALF, T, T  \
	VSUBPS T, ONE, T   \
	VMULPS T, V, V

// Room, for eight numbers each; left is what is not left out.
#define left 0
#define thin 32
#define asked 64
#define across 96
#define along 128
#define ink 160
#define line 192

// func strokesAVX2(s *strokes, n int)
TEXT ·strokesAVX2(SB), NOSPLIT, $224-16
	MOVQ s+0(FP), DI
	MOVQ n+8(FP), CX
	XORQ R13, R13

stroke:
	// None where no place is asked for any.
	MOVQ         24(DI), AX
	VMOVUPS      (AX)(R13*4), Y13
	VXORPS       Y10, Y10, Y10
	VCMPPS       $0x1e, Y10, Y13, Y0
	VMOVMSKPS    Y0, R8
	TESTL        R8, R8
	JZ           next
	VMOVUPS      Y13, asked(SP)

	// Across and along the layer's strokes to Y9 and the stack.
	MOVQ         0(DI), AX
	MOVQ         8(DI), BX
	VMOVUPS      (AX)(R13*4), Y0
	VMOVUPS      (BX)(R13*4), Y1
	VBROADCASTSS 88(DI), Y2
	VBROADCASTSS 92(DI), Y3
	VMULPS       Y2, Y0, Y4
	VMULPS       Y3, Y1, Y5
	VADDPS       Y5, Y4, Y9
	VMULPS       Y2, Y1, Y4
	VMULPS       Y3, Y0, Y5
	VSUBPS       Y5, Y4, Y12
	VMOVUPS      Y12, along(SP)
	MOVQ         72(DI), AX
	VMOVDQU      (AX)(R13*4), Y15
	MOVL         96(DI), R12

	TESTL        $1, R12 // wobble
	JZ           straight
	VBROADCASTSS wobbleAlong<>(SB), Y0
	VBROADCASTSS wobbleAcross<>(SB), Y1
	VMULPS       Y12, Y0, Y0
	VMULPS       Y9, Y1, Y1
	SWAY
	MOVQ         32(DI), AX
	VMOVUPS      (AX)(R13*4), Y1
	VBROADCASTSS four<>(SB), Y3
	VMAXPS       Y10, Y1, Y1
	VMINPS       Y3, Y1, Y1
	VMULPS       Y0, Y1, Y1
	VADDPS       Y1, Y9, Y9

straight:
	VBROADCASTSS half<>(SB), Y11
	VADDPS       Y11, Y9, Y0
	VROUNDPS     $9, Y0, Y14
	VMOVUPS      Y14, line(SP)
	VSUBPS       Y14, Y9, Y9
	VMOVUPS      Y9, across(SP)

	// As thick as makes up for what is left out.
	VBROADCASTSS one<>(SB), Y12
	VSUBPS       Y13, Y12, Y0
	MOVQ         40(DI), AX
	VMOVUPS      (AX)(R13*4), Y1
	VMAXPS       Y10, Y1, Y1
	VMINPS       Y11, Y1, Y1
	VMULPS       Y0, Y1, Y1
	VSUBPS       Y1, Y12, Y1
	VMOVUPS      Y1, left(SP)
	MOVQ         56(DI), AX
	VMOVUPS      (AX)(R13*4), Y2
	PART(Y2, Y10, Y12)
	VMULPS       Y0, Y2, Y2
	VMOVUPS      Y2, thin(SP)
	VMULPS       Y11, Y2, Y2
	VSUBPS       Y2, Y12, Y2
	VMULPS       Y2, Y1, Y1
	VDIVPS       Y1, Y13, Y13
	VMOVUPS      Y13, ink(SP)
	MOVQ         16(DI), BX

	TESTL        $2, R12 // rough
	JZ           clean
	VBROADCASTSS roughAlong<>(SB), Y0
	VMULPS       along(SP), Y0, Y0
	VCVTTPS2DQ   Y14, Y1
	VPADDD       Y1, Y1, Y1
	SWAYS
	VMOVUPS      (BX)(R13*4), Y1
	VSUBPS       Y1, Y11, Y1
	VBROADCASTSS four<>(SB), Y2
	VMULPS       Y2, Y1, Y1
	PART(Y1, Y10, Y12)
	VBROADCASTSS three<>(SB), Y2
	SMOOTH(Y1, Y3, Y2)
	MOVQ         64(DI), AX
	VMOVUPS      (AX)(R13*4), Y2
	PART(Y2, Y10, Y12)
	VMULPS       Y1, Y2, Y2
	VMULPS       Y13, Y2, Y2
	VSUBPS       Y13, Y12, Y3
	VMAXPS       Y10, Y3, Y3
	VMINPS       Y3, Y2, Y2
	VMULPS       Y0, Y2, Y2
	VADDPS       Y2, Y13, Y13
	VMOVUPS      Y13, ink(SP)

clean:
	TESTL        $4, R12 // breaks or taper
	JZ           whole
	MOVQ         48(DI), AX
	VMOVUPS      (AX)(R13*4), Y9
	VMAXPS       Y11, Y9, Y9 // long
	VCVTTPS2DQ   Y14, Y0
	VPXOR        Y15, Y0, Y0
	VPBROADCASTD scatterA<>(SB), Y7
	VPBROADCASTD scatterB<>(SB), Y8
	CHANCE(Y0, Y6, Y7, Y8)
	VBROADCASTSS chance<>(SB), Y3
	VMULPS       Y3, Y0, Y0
	VMOVUPS      along(SP), Y1
	VDIVPS       Y9, Y1, Y1
	VADDPS       Y0, Y1, Y13 // at
	VBROADCASTSS endAlong<>(SB), Y0
	VMULPS       Y13, Y0, Y0
	VCVTTPS2DQ   Y14, Y1
	VPADDD       Y1, Y1, Y1
	VPBROADCASTD unit<>(SB), Y2
	VPADDD       Y2, Y1, Y1
	SWAYS
	VMULPS       Y0, Y11, Y0
	VADDPS       Y0, Y13, Y13
	VROUNDPS     $9, Y13, Y0
	VSUBPS       Y0, Y13, Y0
	VMOVUPS      left(SP), Y1
	VMOVAPS      Y1, Y5
	VDIVPS       Y1, Y0, Y0 // part
	VSUBPS       Y0, Y12, Y2
	VMINPS       Y2, Y0, Y0 // from the nearer end
	VMOVUPS      (BX)(R13*4), Y3
	VDIVPS       Y9, Y3, Y3
	VBROADCASTSS leastEdge<>(SB), Y4
	VMAXPS       Y4, Y3, Y3
	VMULPS       Y1, Y0, Y1
	VDIVPS       Y3, Y1, Y1
	VADDPS       Y11, Y1, Y1
	PART(Y1, Y10, Y12)
	VMOVUPS      thin(SP), Y2
	VCMPPS       $0x1e, Y10, Y2, Y3
	VCMPPS       $1, Y12, Y5, Y5 // whether anything is left out
	VORPS        Y3, Y5, Y5
	VBLENDVPS    Y5, Y1, Y12, Y1
	VMULPS       ink(SP), Y1, Y13
	VADDPS       Y0, Y0, Y0
	VDIVPS       Y2, Y0, Y0
	VMINPS       Y12, Y0, Y0
	VBLENDVPS    Y3, Y0, Y12, Y0
	VMULPS       Y0, Y13, Y13

whole:
	PART(Y13, Y10, Y12)

	// The mean over a tent about the place, of this stroke and of those beside it.
	VMOVUPS      (BX)(R13*4), Y15
	VBROADCASTSS leastFoot<>(SB), Y0
	VMAXPS       Y0, Y15, Y0
	VDIVPS       Y0, Y12, Y14
	VBROADCASTSS size<>(SB), Y9
	VANDPS       across(SP), Y9, Y0
	VMULPS       Y11, Y13, Y13 // half
	VSUBPS       Y12, Y10, Y8  // -1
	VADDPS       Y13, Y0, Y1
	VSUBPS       Y13, Y0, Y2
	VSUBPS       Y12, Y1, Y3
	VSUBPS       Y12, Y2, Y4
	VADDPS       Y12, Y2, Y5
	VMULPS       Y14, Y1, Y1
	VMULPS       Y14, Y2, Y2
	VMULPS       Y14, Y3, Y3
	VMULPS       Y14, Y4, Y4
	VMULPS       Y14, Y5, Y5
	RISEN(Y1, Y6, Y8, Y12, Y11, Y9)
	RISEN(Y2, Y6, Y8, Y12, Y11, Y9)
	RISEN(Y3, Y6, Y8, Y12, Y11, Y9)
	RISEN(Y4, Y6, Y8, Y12, Y11, Y9)
	RISEN(Y5, Y6, Y8, Y12, Y11, Y9)
	VSUBPS       Y2, Y1, Y0
	VSUBPS       Y4, Y3, Y3
	VADDPS       Y3, Y0, Y0
	VSUBPS       Y5, Y11, Y5
	VADDPS       Y5, Y0, Y0
	PART(Y0, Y10, Y12)

	// As much of it as can be told.
	VBROADCASTSS fades<>(SB), Y1
	VSUBPS       Y15, Y1, Y1
	VBROADCASTSS five<>(SB), Y2
	VMULPS       Y2, Y1, Y1
	PART(Y1, Y10, Y12)
	VBROADCASTSS three<>(SB), Y2
	SMOOTH(Y1, Y3, Y2)
	VMOVUPS      asked(SP), Y13
	VSUBPS       Y13, Y0, Y0
	VMULPS       Y1, Y0, Y0
	VADDPS       Y0, Y13, Y0
	VCMPPS       $0x1e, Y10, Y13, Y1
	VANDPS       Y1, Y0, Y0
	VCMPPS       $0x1d, Y12, Y13, Y1
	VBLENDVPS    Y1, Y12, Y0, Y0

	MOVQ         80(DI), AX
	VSUBPS       Y0, Y12, Y0
	VMULPS       (AX)(R13*4), Y0, Y0
	VMOVUPS      Y0, (AX)(R13*4)

next:
	ADDQ $8, R13
	CMPQ R13, CX
	JLT  stroke
	VZEROUPPER
	RET
