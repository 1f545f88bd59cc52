#include "textflag.h"

// The walks of walk.go, eight boxes and eight triangles at a time.
//
// Registers throughout:
//   R8 nodes, R9 leaves, R11 stack, R14 entries on it, R15 room (below)
//   R12, R13, BX  bytes to the near planes along x, y, z; CX, DX, SI to the far ones
//   Y0, Y1, Y2  origin; Y3, Y4, Y5  1/direction
// The room begins at a multiple of 32; eight equal numbers each but for the last:
#define originX 0(R15)
#define originY 32(R15)
#define originZ 64(R15)
#define shearedX 96(R15)
#define shearedY 128(R15)
#define shearedZ 160(R15)
#define shearX 192(R15)
#define shearY 224(R15)
#define shearZ 256(R15)
#define far 288(R15)
#define axisX 480(R15)
#define axisY 488(R15)
#define axisZ 496(R15)
#define outX 512(R15)
#define outY 544(R15)
#define outZ 576(R15)

// Fills registers and room from the ray at R10.
#define SETUP \
	LEAQ 31(SP), R15 \
	ANDQ $~31, R15 \
	LEAQ 640(R15), R11 \
	VBROADCASTSS 0(R10), Y0 \
	VBROADCASTSS 4(R10), Y1 \
	VBROADCASTSS 8(R10), Y2 \
	VBROADCASTSS 12(R10), Y3 \
	VBROADCASTSS 16(R10), Y4 \
	VBROADCASTSS 20(R10), Y5 \
	VMOVUPS Y0, originX \
	VMOVUPS Y1, originY \
	VMOVUPS Y2, originZ \
	VBROADCASTSS 24(R10), Y6 \
	VMOVUPS Y6, far \
	VBROADCASTSS 28(R10), Y6 \
	VMOVUPS Y6, shearX \
	VBROADCASTSS 32(R10), Y6 \
	VMOVUPS Y6, shearY \
	VBROADCASTSS 36(R10), Y6 \
	VMOVUPS Y6, shearZ \
	MOVQ 40(R10), R12 \
	MOVQ 48(R10), R13 \
	MOVQ 56(R10), BX \
	MOVQ 64(R10), AX \
	MOVQ AX, axisX \
	MOVQ 72(R10), AX \
	MOVQ AX, axisY \
	MOVQ 80(R10), AX \
	MOVQ AX, axisZ \
	VBROADCASTSS 88(R10), Y6 \
	VMOVUPS Y6, shearedX \
	VBROADCASTSS 92(R10), Y6 \
	VMOVUPS Y6, shearedY \
	VBROADCASTSS 96(R10), Y6 \
	VMOVUPS Y6, shearedZ \
	VBROADCASTSS 100(R10), Y6 \
	VMOVUPS Y6, outX \
	VBROADCASTSS 104(R10), Y6 \
	VMOVUPS Y6, outY \
	VBROADCASTSS 108(R10), Y6 \
	VMOVUPS Y6, outZ \
	MOVQ R12, CX \
	XORQ $32, CX \
	MOVQ R13, DX \
	XORQ $32, DX \
	MOVQ BX, SI \
	XORQ $32, SI \
	XORQ R14, R14 \
	XORQ AX, AX

// Tests the boxes of node AX: AX becomes its address, DI the boxes that are met
// as bits, Y6 where. No child is -0 away.
#define BOXES \
	SHLQ $8, AX \
	ADDQ R8, AX \
	VMOVUPS (AX)(R12*1), Y6 \
	VMOVUPS (AX)(R13*1), Y7 \
	VMOVUPS (AX)(BX*1), Y8 \
	VMOVUPS (AX)(CX*1), Y9 \
	VMOVUPS (AX)(DX*1), Y10 \
	VMOVUPS (AX)(SI*1), Y11 \
	VSUBPS Y0, Y6, Y6 \
	VSUBPS Y1, Y7, Y7 \
	VSUBPS Y2, Y8, Y8 \
	VSUBPS Y0, Y9, Y9 \
	VSUBPS Y1, Y10, Y10 \
	VSUBPS Y2, Y11, Y11 \
	VMULPS Y3, Y6, Y6 \
	VMULPS Y4, Y7, Y7 \
	VMULPS Y5, Y8, Y8 \
	VMULPS outX, Y9, Y9 \
	VMULPS outY, Y10, Y10 \
	VMULPS outZ, Y11, Y11 \
	VXORPS Y12, Y12, Y12 \
	VMAXPS Y7, Y6, Y6 \
	VMAXPS Y12, Y8, Y8 \
	VMINPS Y10, Y9, Y9 \
	VMAXPS Y8, Y6, Y6 \
	VMINPS far, Y11, Y11 \
	VMINPS Y11, Y9, Y9 \
	VCMPPS $2, Y9, Y6, Y12 \
	VMOVMSKPS Y12, DI

// Tests the triangles of the leaf at AX, which becomes the address of its main
// axis: AX to Y2 hold what is said at the labels that follow. Goes on at none if
// the ray is inside no triangle. Then Y2 are those that it is inside of, as
// masks; Y0, Y1 the second and third edge functions, Y9 their sum, Y6 the
// distance, Y10 zero.
#define TRIANGLES(none) \
	MOVQ axisX, DI \
	ADDQ AX, DI \
	MOVQ axisY, R10 \
	ADDQ AX, R10 \
	ADDQ axisZ, AX \
	VMOVUPS (AX), Y6 \
	VMOVUPS 96(AX), Y7 \
	VMOVUPS 192(AX), Y8 \
	VMOVUPS (DI), Y9 \
	VMOVUPS (R10), Y10 \
	VMOVUPS 96(DI), Y11 \
	VMOVUPS 96(R10), Y12 \
	VMOVUPS 192(DI), Y13 \
	VMOVUPS 192(R10), Y14 \
	VSUBPS shearedZ, Y6, Y6 \
	VSUBPS shearedZ, Y7, Y7 \
	VSUBPS shearedZ, Y8, Y8 \
	VSUBPS shearedX, Y9, Y9 \
	VSUBPS shearedY, Y10, Y10 \
	VSUBPS shearedX, Y11, Y11 \
	VSUBPS shearedY, Y12, Y12 \
	VSUBPS shearedX, Y13, Y13 \
	VSUBPS shearedY, Y14, Y14 \
	VMULPS shearX, Y6, Y0 \
	VMULPS shearY, Y6, Y1 \
	VMULPS shearX, Y7, Y2 \
	VMULPS shearY, Y7, Y15 \
	VSUBPS Y0, Y9, Y9 \
	VSUBPS Y1, Y10, Y10 \
	VSUBPS Y2, Y11, Y11 \
	VSUBPS Y15, Y12, Y12 \
	VMULPS shearX, Y8, Y0 \
	VMULPS shearY, Y8, Y1 \
	VSUBPS Y0, Y13, Y13 \
	VSUBPS Y1, Y14, Y14 \
	VMULPS Y12, Y13, Y15 \
	VMULPS Y11, Y14, Y0 \
	VSUBPS Y0, Y15, Y15 \
	VMULPS Y14, Y9, Y0 \
	VMULPS Y13, Y10, Y1 \
	VSUBPS Y1, Y0, Y0 \
	VMULPS Y10, Y11, Y1 \
	VMULPS Y9, Y12, Y2 \
	VSUBPS Y2, Y1, Y1 \
	VMINPS Y0, Y15, Y2 \
	VMAXPS Y0, Y15, Y9 \
	VMINPS Y1, Y2, Y2 \
	VMAXPS Y1, Y9, Y9 \
	VXORPS Y10, Y10, Y10 \
	VCMPPS $13, Y10, Y2, Y2 \
	VCMPPS $2, Y10, Y9, Y9 \
	VORPS Y9, Y2, Y2 \
	VMOVMSKPS Y2, DI \
	TESTL DI, DI \
	JZ none \
	VADDPS Y0, Y15, Y9 \
	VADDPS Y1, Y9, Y9 \
	VCMPPS $4, Y10, Y9, Y11 \
	VANDPS Y11, Y2, Y2 \
	VMULPS Y6, Y15, Y6 \
	VMULPS Y7, Y0, Y7 \
	VADDPS Y7, Y6, Y6 \
	VMULPS Y8, Y1, Y8 \
	VADDPS Y8, Y6, Y6 \
	VMULPS shearZ, Y6, Y6 \
	VDIVPS Y9, Y6, Y6 \
	VCMPPS $14, Y10, Y6, Y7 \
	VCMPPS $1, far, Y6, Y8 \
	VANDPS Y7, Y2, Y2 \
	VANDPS Y8, Y2, Y2 \
	VMOVMSKPS Y2, DI \
	TESTL DI, DI \
	JZ none

// func anyAVX2(nodes *node, leaves *leaf, r *ray) bool
TEXT ·anyAVX2(SB), 0, $2176-25
	MOVQ nodes+0(FP), R8
	MOVQ leaves+8(FP), R9
	MOVQ r+16(FP), R10
	SETUP

visit:
	BOXES
	TESTL DI, DI
	JZ    pop

child:
	TZCNTL  DI, R10
	MOVLQSX 192(AX)(R10*4), R10
	BLSRL   DI, DI
	JZ      last
	MOVL    R10, (R11)(R14*4)
	INCQ    R14
	JMP     child

last:
	MOVQ  R10, AX
	TESTQ AX, AX
	JNS   visit

leaf:
	NOTQ   AX
	IMUL3Q $320, AX, AX
	ADDQ   R9, AX
	TRIANGLES(none)
	MOVB   $1, ret+24(FP)
	VZEROUPPER
	RET

none:
	VMOVUPS originX, Y0
	VMOVUPS originY, Y1
	VMOVUPS originZ, Y2

pop:
	TESTQ   R14, R14
	JZ      miss
	DECQ    R14
	MOVLQSX (R11)(R14*4), AX
	TESTQ   AX, AX
	JNS     visit
	JMP     leaf

miss:
	MOVB $0, ret+24(FP)
	VZEROUPPER
	RET

// func nearAVX2(nodes *node, leaves *leaf, r *ray, f *found)
TEXT ·nearAVX2(SB), 0, $3648-32
	MOVQ nodes+0(FP), R8
	MOVQ leaves+8(FP), R9
	MOVQ r+16(FP), R10
	SETUP

visit:
	BOXES
	TESTL   DI, DI
	JZ      pop
	VMOVUPS Y6, 352(R15)
	MOVQ    R14, R9 // of those pushed now, the nearest

child:
	TZCNTL DI, R10
	MOVL   352(R15)(R10*4), CX
	MOVL   192(AX)(R10*4), R10
	MOVL   R10, (R11)(R14*8)
	MOVL   CX, 4(R11)(R14*8)
	CMPL   CX, 4(R11)(R9*8) // floats at or above 0 compare as whole numbers
	JGE    farther
	MOVQ   R14, R9

farther:
	INCQ  R14
	BLSRL DI, DI
	JNZ   child
	MOVQ  -8(R11)(R14*8), CX
	MOVQ  (R11)(R9*8), DX
	MOVQ  DX, -8(R11)(R14*8)
	MOVQ  CX, (R11)(R9*8)
	MOVQ  R12, CX
	XORQ  $32, CX
	MOVQ  R13, DX
	XORQ  $32, DX

pop:
	TESTQ   R14, R14
	JZ      done
	DECQ    R14
	MOVL    4(R11)(R14*8), DI
	CMPL    DI, far
	JGE     pop
	MOVLQSX (R11)(R14*8), AX
	TESTQ   AX, AX
	JNS     visit
	NOTQ    AX
	IMUL3Q  $320, AX, AX
	MOVQ    leaves+8(FP), R9
	ADDQ    R9, AX
	TRIANGLES(none)
	SUBQ    axisZ, AX
	VDIVPS  Y9, Y0, Y0
	VDIVPS  Y9, Y1, Y1
	VMOVUPS Y0, 384(R15)
	VMOVUPS Y1, 416(R15)
	VMOVUPS Y6, 448(R15)
	MOVQ    f+24(FP), R10

hit:
	TZCNTL DI, R9
	MOVL   448(R15)(R9*4), CX
	CMPL   CX, far
	JGE    behind
	MOVL   CX, far
	MOVL   CX, 0(R10)
	MOVL   384(R15)(R9*4), CX
	MOVL   CX, 4(R10)
	MOVL   416(R15)(R9*4), CX
	MOVL   CX, 8(R10)
	MOVL   288(AX)(R9*4), CX
	MOVL   CX, 12(R10)

behind:
	BLSRL DI, DI
	JNZ   hit
	VBROADCASTSS far, Y6
	VMOVUPS Y6, far
	MOVQ  R12, CX
	XORQ  $32, CX

none:
	VMOVUPS originX, Y0
	VMOVUPS originY, Y1
	VMOVUPS originZ, Y2
	JMP     pop

done:
	VZEROUPPER
	RET
