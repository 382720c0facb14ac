package pix

// unitPlain brings each of a row's values into 0..1.
func unitPlain(row []float32) {
	for i, v := range row {
		row[i] = min(max(v, 0), 1)
	}
}
