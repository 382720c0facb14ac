package step

import "velvetgrime/core/stack"

// What the other side does with the two.
const (
	SideCopy     = "copy"
	SideFlip     = "flip"
	SideExchange = "exchange"
)

func init() {
	register(Description{
		Kind: stack.OtherSide, Label: "Other side", Role: "shaper", Special: true,
		Help: "What came before, brought to the counterparts of the faces it lies on: two halves or parts that are built alike.",
		Params: []Param{
			{Name: "pair", Label: "a face and its counterpart", Kind: "points", Default: []any{}, Help: "a place on the side that is done, and the same place on the other"},
			{Name: "way", Label: "does", Kind: "choice", Default: SideCopy, Choices: []string{SideCopy, SideFlip, SideExchange}, Help: "copy: the other side becomes as this one; flip: it goes over and leaves black; exchange: both change places"},
		},
	})
}
