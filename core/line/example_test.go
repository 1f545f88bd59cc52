package line_test

import (
	"fmt"

	"mobanta/core/color"
	"mobanta/core/line"
)

// Widths are in thousandths of the picture's height: here two pixels of five, and so a whole row and half of the two beside it.
func ExampleSheet_Add() {
	ink := line.Ink{Color: color.C{1, 0, 0}, Width: 400, Opacity: 1}
	sheet := line.NewSheet(4, 5)
	sheet.Add([][]line.Stroke{{{Chain: line.Chain{{X: -2, Y: 2.5}, {X: 7, Y: 2.5}}, Ink: []line.Ink{ink, ink}, Joined: true}}}, 1)
	for y := range sheet.H {
		for x := range sheet.W {
			fmt.Printf("%3.0f%%", 100*sheet.Pix[4*(y*sheet.W+x)+3])
		}
		fmt.Println()
	}
	// Output:
	//   0%  0%  0%  0%
	//  50% 50% 50% 50%
	// 100%100%100%100%
	//  50% 50% 50% 50%
	//   0%  0%  0%  0%
}
