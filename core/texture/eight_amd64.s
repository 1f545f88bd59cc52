#include "textflag.h"

// Noise of noise.go at eight places at once, the same to the bit.

DATA far<>+0(SB)/4, $0x49800000 // 1<<20
GLOBL far<>(SB), RODATA|NOPTR, $4
DATA size<>+0(SB)/4, $0x7fffffff // all but the sign
GLOBL size<>(SB), RODATA|NOPTR, $4
DATA sign<>+0(SB)/4, $0x80000000
GLOBL sign<>(SB), RODATA|NOPTR, $4
DATA byte<>+0(SB)/4, $255
GLOBL byte<>(SB), RODATA|NOPTR, $4
DATA one<>+0(SB)/4, $0x3f800000
GLOBL one<>(SB), RODATA|NOPTR, $4
DATA six<>+0(SB)/4, $0x40c00000
GLOBL six<>(SB), RODATA|NOPTR, $4
DATA fifteen<>+0(SB)/4, $0x41700000
GLOBL fifteen<>(SB), RODATA|NOPTR, $4
DATA ten<>+0(SB)/4, $0x41200000
GLOBL ten<>(SB), RODATA|NOPTR, $4
DATA turnA<>+0(SB)/4, $0x3f692290 // 0.9106836025
GLOBL turnA<>(SB), RODATA|NOPTR, $4
DATA turnB<>+0(SB)/4, $0x3eaaaaab // 0.3333333333
GLOBL turnB<>(SB), RODATA|NOPTR, $4
DATA turnC<>+0(SB)/4, $0xbe79df93 // -0.2440169359
GLOBL turnC<>(SB), RODATA|NOPTR, $4
DATA moveX<>+0(SB)/4, $0x418a7ae1 // 17.31
GLOBL moveX<>(SB), RODATA|NOPTR, $4
DATA moveY<>+0(SB)/4, $0x40b8a3d7 // 5.77
GLOBL moveY<>(SB), RODATA|NOPTR, $4
DATA moveZ<>+0(SB)/4, $0x41e90a3d // 29.13
GLOBL moveZ<>(SB), RODATA|NOPTR, $4

// Room: eight numbers each.
#define within 0(SP)
#define fadeX 32(SP)
#define fadeY 64(SP)
#define fadeZ 96(SP)
#define cellX 128
#define cellY 160
#define cellZ 192
#define c000 224
#define c100 256
#define c010 288
#define c110 320
#define c001 352
#define c101 384
#define c011 416
#define c111 448

// Splits the coordinate V into its cell I, with the seeds at S, and where it lies within; Y15 is
// in which places it is nearer than far, Y12 and Y13 are far and size, Y14 is 255.
#define SPLIT(V, I, S) \
	VANDPS    Y13, V, Y11     \
	VCMPPS    $1, Y12, Y11, Y11 \
	VANDPS    Y11, Y15, Y15   \
	VROUNDPS  $9, V, I        \
	VSUBPS    I, V, V         \
	VCVTTPS2DQ I, I           \
	VPADDD    S, I, I         \
	VPAND     Y14, I, I

// Puts the fade of V to F: t·t·t·(t·(t·6-15)+10).
#define FADE(V, F) \
	VMULPS Y12, V, Y11   \
	VSUBPS Y13, Y11, Y11 \
	VMULPS Y11, V, Y11   \
	VADDPS Y14, Y11, Y11 \
	VMULPS V, V, Y10     \
	VMULPS V, Y10, Y10   \
	VMULPS Y11, Y10, Y10 \
	VMOVUPS Y10, F

// Looks the eight corners of one place's cell up: one by one, since gathering them is slower on
// most processors.
#define LOOK(L) \
	MOVL    cellX+L, R8           \
	MOVL    cellY+L, R9           \
	MOVL    cellZ+L, R10          \
	MOVBLZX 0(AX)(R8*1), R11      \
	MOVBLZX 1(AX)(R8*1), R12      \
	ADDL    R9, R11               \
	ADDL    R9, R12               \
	MOVBLZX 0(AX)(R11*1), R8      \
	MOVBLZX 1(AX)(R11*1), R9      \
	MOVBLZX 0(AX)(R12*1), R11     \
	MOVBLZX 1(AX)(R12*1), R12     \
	ADDL    R10, R8               \
	ADDL    R10, R9               \
	ADDL    R10, R11              \
	ADDL    R10, R12              \
	MOVL    0(BX)(R8*4), R10      \
	MOVL    4(BX)(R8*4), R8       \
	MOVL    R10, c000+L           \
	MOVL    R8, c001+L            \
	MOVL    0(BX)(R9*4), R10      \
	MOVL    4(BX)(R9*4), R9       \
	MOVL    R10, c010+L           \
	MOVL    R9, c011+L            \
	MOVL    0(BX)(R11*4), R10     \
	MOVL    4(BX)(R11*4), R11     \
	MOVL    R10, c100+L           \
	MOVL    R11, c101+L           \
	MOVL    0(BX)(R12*4), R10     \
	MOVL    4(BX)(R12*4), R12     \
	MOVL    R10, c110+L           \
	MOVL    R12, c111+L

// The slope at a corner, packed as C says, at X, Y, Z from it.
#define CORNER(C, X, Y, Z, D) \
	VMOVUPS    C, Y12            \
	VBLENDVPS  Y12, Y, X, D      \
	VPSLLD     $1, Y12, Y12      \
	VBLENDVPS  Y12, Y, Z, Y11    \
	VPSLLD     $1, Y12, Y12      \
	VBLENDVPS  Y12, X, Y11, Y11  \
	VPSLLD     $1, Y12, Y12      \
	VPAND      Y14, Y12, Y13     \
	VXORPS     Y13, D, D         \
	VPSLLD     $1, Y12, Y12      \
	VPAND      Y14, Y12, Y13     \
	VXORPS     Y13, Y11, Y11     \
	VADDPS     Y11, D, D

// D lies between A and B by T.
#define BETWEEN(A, B, T, D) \
	VSUBPS A, B, B \
	VMULPS T, B, B \
	VADDPS B, A, D

// func eightAVX2(e *Eight, out *[8]float32)
TEXT ·eightAVX2(SB), NOSPLIT, $480-16
	MOVQ e+0(FP), DI
	MOVQ out+8(FP), SI
	LEAQ ·permuted(SB), AX
	LEAQ ·packed(SB), BX

	VMOVUPS      0(DI), Y0
	VMOVUPS      32(DI), Y1
	VMOVUPS      64(DI), Y2
	VBROADCASTSS far<>(SB), Y12
	VBROADCASTSS size<>(SB), Y13
	VBROADCASTSS byte<>(SB), Y14
	VPCMPEQD     Y15, Y15, Y15
	SPLIT(Y0, Y6, 96(DI))
	SPLIT(Y1, Y7, 128(DI))
	SPLIT(Y2, Y8, 160(DI))
	VMOVUPS      Y6, cellX(SP)
	VMOVUPS      Y7, cellY(SP)
	VMOVUPS      Y8, cellZ(SP)
	VMOVUPS      Y15, within

	VBROADCASTSS six<>(SB), Y12
	VBROADCASTSS fifteen<>(SB), Y13
	VBROADCASTSS ten<>(SB), Y14
	FADE(Y0, fadeX)
	FADE(Y1, fadeY)
	FADE(Y2, fadeZ)

	LOOK(0*4(SP))
	LOOK(1*4(SP))
	LOOK(2*4(SP))
	LOOK(3*4(SP))
	LOOK(4*4(SP))
	LOOK(5*4(SP))
	LOOK(6*4(SP))
	LOOK(7*4(SP))

	VBROADCASTSS one<>(SB), Y11
	VBROADCASTSS sign<>(SB), Y14
	VSUBPS       Y11, Y0, Y7
	VSUBPS       Y11, Y1, Y8
	VSUBPS       Y11, Y2, Y9
	CORNER(c000(SP), Y0, Y1, Y2, Y3)
	CORNER(c100(SP), Y7, Y1, Y2, Y4)
	BETWEEN(Y3, Y4, fadeX, Y3)
	CORNER(c010(SP), Y0, Y8, Y2, Y4)
	CORNER(c110(SP), Y7, Y8, Y2, Y5)
	BETWEEN(Y4, Y5, fadeX, Y4)
	BETWEEN(Y3, Y4, fadeY, Y3)
	CORNER(c001(SP), Y0, Y1, Y9, Y4)
	CORNER(c101(SP), Y7, Y1, Y9, Y5)
	BETWEEN(Y4, Y5, fadeX, Y4)
	CORNER(c011(SP), Y0, Y8, Y9, Y5)
	CORNER(c111(SP), Y7, Y8, Y9, Y6)
	BETWEEN(Y5, Y6, fadeX, Y5)
	BETWEEN(Y4, Y5, fadeY, Y4)
	BETWEEN(Y3, Y4, fadeZ, Y0)
	VANDPS  within, Y0, Y0
	VMOVUPS Y0, (SI)
	VZEROUPPER
	RET

// D = P·Y0 + Q·Y1 + R·Y2 + M
#define ROW(P, Q, R, M, D) \
	VMULPS       P, Y0, Y6  \
	VMULPS       Q, Y1, Y7  \
	VADDPS       Y7, Y6, Y6 \
	VMULPS       R, Y2, Y7  \
	VADDPS       Y7, Y6, Y6 \
	VBROADCASTSS M, Y7      \
	VADDPS       Y7, Y6, Y6 \
	VMOVUPS      Y6, D

// func turnAVX2(e *Eight, finer *[8]float32)
TEXT ·turnAVX2(SB), NOSPLIT, $0-16
	MOVQ         e+0(FP), DI
	MOVQ         finer+8(FP), SI
	VMOVUPS      (SI), Y3
	VMULPS       0(DI), Y3, Y0
	VMULPS       32(DI), Y3, Y1
	VMULPS       64(DI), Y3, Y2
	VBROADCASTSS turnA<>(SB), Y3
	VBROADCASTSS turnB<>(SB), Y4
	VBROADCASTSS turnC<>(SB), Y5
	ROW(Y3, Y5, Y4, moveX<>(SB), 0(DI))
	ROW(Y4, Y3, Y5, moveY<>(SB), 32(DI))
	ROW(Y5, Y4, Y3, moveZ<>(SB), 64(DI))
	VZEROUPPER
	RET
