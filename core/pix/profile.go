package pix

import (
	"bytes"
	"compress/zlib"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"

	"velvetgrime/core/icc"
)

// maxProfile bounds a colour profile.
const maxProfile = 8 << 20

// profileOf finds the colour profile that a picture carries; nil: none, or one that is as good as
// sRGB. Its error is that the profile is damaged or not read.
func profileOf(r io.ReadSeeker, form string) (*icc.Profile, error) {
	if _, err := r.Seek(0, io.SeekStart); err != nil {
		return nil, err
	}
	var b []byte
	var gamma float64
	var err error
	switch form {
	case "png":
		b, gamma, err = pngProfile(r)
	case "jpeg":
		b, err = jpegProfile(r)
	case "tiff":
		b, err = tiffProfile(r)
	case "webp":
		b, err = webpProfile(r)
	}
	if err != nil {
		return nil, err
	}
	var p *icc.Profile
	switch {
	case b != nil:
		if p, err = icc.Parse(b); err != nil {
			return nil, err
		}
	case gamma != 0 && math.Abs(gamma-1/2.2) > 0.02:
		p = icc.Gamma(1 / gamma)
	}
	if p == nil || p.SRGB() {
		return nil, nil
	}
	return p, nil
}

// pngProfile reads iCCP, else gAMA where no sRGB stands beside it (Portable Network Graphics,
// section 11.3.2).
func pngProfile(r io.ReadSeeker) (profile []byte, gamma float64, err error) {
	if _, err := r.Seek(8, io.SeekStart); err != nil {
		return nil, 0, err
	}
	for {
		var head [8]byte
		if _, err := io.ReadFull(r, head[:]); err != nil {
			return nil, gamma, nil // the decoder says what is wrong
		}
		n := int64(binary.BigEndian.Uint32(head[:]))
		switch string(head[4:]) {
		case "IDAT", "PLTE":
			return nil, gamma, nil
		case "sRGB":
			return nil, 0, nil
		case "gAMA":
			var b [4]byte
			if n == 4 {
				if _, err := io.ReadFull(r, b[:]); err != nil {
					return nil, 0, nil
				}
				gamma = float64(binary.BigEndian.Uint32(b[:])) / 100000
				n = 0
			}
		case "iCCP":
			if n > maxProfile {
				return nil, 0, errors.New("its colour profile is too long")
			}
			b := make([]byte, n)
			if _, err := io.ReadFull(r, b); err != nil {
				return nil, 0, nil
			}
			i := bytes.IndexByte(b, 0)
			if i < 0 || i+2 > len(b) {
				return nil, 0, errors.New("its colour profile is damaged")
			}
			z, err := zlib.NewReader(bytes.NewReader(b[i+2:]))
			if err == nil {
				profile, err = io.ReadAll(io.LimitReader(z, maxProfile+1))
			}
			if err != nil || len(profile) > maxProfile {
				return nil, 0, errors.New("its colour profile is damaged")
			}
			return profile, 0, nil
		}
		if _, err := r.Seek(n+4, io.SeekCurrent); err != nil {
			return nil, gamma, nil
		}
	}
}

// jpegProfile puts the pieces of a profile together (ICC.1:2022, annex B.4).
func jpegProfile(r io.ReadSeeker) ([]byte, error) {
	if _, err := r.Seek(2, io.SeekStart); err != nil {
		return nil, err
	}
	pieces := map[byte][]byte{}
	for {
		var head [4]byte
		if _, err := io.ReadFull(r, head[:]); err != nil || head[0] != 0xff {
			break
		}
		n := int64(binary.BigEndian.Uint16(head[2:])) - 2
		if head[1] == 0xda || n < 0 { // the scan
			break
		}
		if head[1] != 0xe2 {
			if _, err := r.Seek(n, io.SeekCurrent); err != nil {
				return nil, err
			}
			continue
		}
		b := make([]byte, n)
		if _, err := io.ReadFull(r, b); err != nil {
			break
		}
		if rest, ok := bytes.CutPrefix(b, []byte("ICC_PROFILE\x00")); ok && len(rest) > 2 {
			pieces[rest[0]] = rest[2:]
		}
	}
	var out []byte
	var order []byte
	for k := range pieces {
		order = append(order, k)
	}
	slices.Sort(order)
	for _, k := range order {
		out = append(out, pieces[k]...)
	}
	return out, nil
}

// tiffProfile reads tag 34675 of the first directory (ICC.1:2022, annex B.3).
func tiffProfile(r io.ReadSeeker) ([]byte, error) {
	var head [8]byte
	if _, err := io.ReadFull(r, head[:]); err != nil {
		return nil, nil
	}
	var order binary.ByteOrder = binary.LittleEndian
	if string(head[:2]) == "MM" {
		order = binary.BigEndian
	}
	if _, err := r.Seek(int64(order.Uint32(head[4:])), io.SeekStart); err != nil {
		return nil, nil
	}
	var count [2]byte
	if _, err := io.ReadFull(r, count[:]); err != nil {
		return nil, nil
	}
	entries := make([]byte, 12*int(order.Uint16(count[:])))
	if _, err := io.ReadFull(r, entries); err != nil {
		return nil, nil
	}
	for ; len(entries) > 0; entries = entries[12:] {
		if order.Uint16(entries) != 34675 {
			continue
		}
		n := order.Uint32(entries[4:])
		if n > maxProfile {
			return nil, errors.New("its colour profile is too long")
		}
		b := make([]byte, n)
		_, err := r.Seek(int64(order.Uint32(entries[8:])), io.SeekStart)
		if err == nil {
			_, err = io.ReadFull(r, b)
		}
		if err != nil {
			return nil, fmt.Errorf("its colour profile is damaged: %w", err)
		}
		return b, nil
	}
	return nil, nil
}

// webpProfile reads the chunk ICCP.
func webpProfile(r io.ReadSeeker) ([]byte, error) {
	if _, err := r.Seek(12, io.SeekStart); err != nil {
		return nil, err
	}
	for {
		var head [8]byte
		if _, err := io.ReadFull(r, head[:]); err != nil {
			return nil, nil
		}
		n := int64(binary.LittleEndian.Uint32(head[4:]))
		if string(head[:4]) == "ICCP" {
			if n > maxProfile {
				return nil, errors.New("its colour profile is too long")
			}
			b := make([]byte, n)
			if _, err := io.ReadFull(r, b); err != nil {
				return nil, errors.New("its colour profile is damaged")
			}
			return b, nil
		}
		if _, err := r.Seek(n+n%2, io.SeekCurrent); err != nil {
			return nil, nil
		}
	}
}

// convert brings a picture's colours from a profile to sRGB; what is outside of it is clipped.
func (l *level) convert(p *icc.Profile) {
	r := p.Reader()
	for i := 0; i+l.n <= len(l.v); i += l.n {
		if l.n == 1 {
			g := r.RGB([3]float32{float32(l.v[i]) / 65535, 0, 0})
			l.v[i] = encode16(g[0])
			continue
		}
		c := r.RGB([3]float32{float32(l.v[i]) / 65535, float32(l.v[i+1]) / 65535, float32(l.v[i+2]) / 65535})
		for k := range 3 {
			l.v[i+k] = encode16(c[k])
		}
	}
}

func encode16(v float32) uint16 { return whole16(EncodeSRGB(min(max(v, 0), 1))) }

func whole16(v float32) uint16 {
	if !(v > 0) { // nor no number
		return 0
	}
	return uint16(min(v, 1)*65535 + 0.5)
}
