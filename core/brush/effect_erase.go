package brush

// erasing takes away what was painted. A stroke of any effect may erase instead.
var erasing = Effect{Name: "erase", Label: "erases", lay: func(l *laying) {
	for _, row := range l.rows {
		l.towards(row, func(int, float32) float32 { return 0 })
	}
}}
