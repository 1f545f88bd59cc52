#include "textflag.h"

DATA one<>+0(SB)/4, $0x3f800000
GLOBL one<>(SB), RODATA|NOPTR, $4

// func affineAVX2(out, x, y *float32, n int, ax, ay, b float32)
TEXT ·affineAVX2(SB), NOSPLIT, $0-44
	MOVQ         out+0(FP), DI
	MOVQ         x+8(FP), SI
	MOVQ         y+16(FP), DX
	MOVQ         n+24(FP), CX
	VBROADCASTSS ax+32(FP), Y4
	VBROADCASTSS ay+36(FP), Y5
	VBROADCASTSS b+40(FP), Y6
	XORQ         AX, AX

affine:
	VMULPS  (SI)(AX*4), Y4, Y0
	VMULPS  (DX)(AX*4), Y5, Y1
	VADDPS  Y1, Y0, Y0
	VADDPS  Y6, Y0, Y0
	VMOVUPS Y0, (DI)(AX*4)
	ADDQ    $8, AX
	CMPQ    AX, CX
	JLT     affine
	VZEROUPPER
	RET

// func mixAVX2(out, from, to, part *float32, n int)
TEXT ·mixAVX2(SB), NOSPLIT, $0-40
	MOVQ out+0(FP), DI
	MOVQ from+8(FP), SI
	MOVQ to+16(FP), DX
	MOVQ part+24(FP), BX
	MOVQ n+32(FP), CX
	XORQ AX, AX

mix:
	VMOVUPS (SI)(AX*4), Y0
	VMOVUPS (DX)(AX*4), Y1
	VSUBPS  Y0, Y1, Y1
	VMULPS  (BX)(AX*4), Y1, Y1
	VADDPS  Y1, Y0, Y0
	VMOVUPS Y0, (DI)(AX*4)
	ADDQ    $8, AX
	CMPQ    AX, CX
	JLT     mix
	VZEROUPPER
	RET

// func fallAVX2(out, v *float32, n int, top, by float32)
TEXT ·fallAVX2(SB), NOSPLIT, $0-32
	MOVQ         out+0(FP), DI
	MOVQ         v+8(FP), SI
	MOVQ         n+16(FP), CX
	VBROADCASTSS top+24(FP), Y4
	VBROADCASTSS by+28(FP), Y5
	VBROADCASTSS one<>(SB), Y6
	VXORPS       Y7, Y7, Y7
	XORQ         AX, AX

fall:
	VMOVUPS (SI)(AX*4), Y0
	VSUBPS  Y0, Y4, Y0
	VMULPS  Y5, Y0, Y0
	VMAXPS  Y7, Y0, Y0 // 0 for what is no number
	VMINPS  Y6, Y0, Y0
	VMOVUPS Y0, (DI)(AX*4)
	ADDQ    $8, AX
	CMPQ    AX, CX
	JLT     fall
	VZEROUPPER
	RET
