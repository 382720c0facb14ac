package sample

import (
	"crypto/sha256"
	"fmt"
	"math/rand/v2"
	"testing"

	_ "velvetgrime/core/agent"
	"velvetgrime/core/geom"
	"velvetgrime/core/mesh"
	"velvetgrime/core/raster"
	"velvetgrime/core/spatial"
	"velvetgrime/core/stack"
	"velvetgrime/core/step"
)

func models() []*mesh.Model { return []*mesh.Model{Lantern(), Bollard(), Ferry()} }

// Islands of the sample models may not overlap or leave their sheet: no texel may
// be claimed by two islands.
func TestUVsDoNotOverlap(t *testing.T) {
	for _, m := range models() {
		f := m.Facts()
		if len(f.Problems) > 0 {
			t.Errorf("%s: %v", m.Name, f.Problems)
		}
		const n = 4096
		for s := range m.Sheets {
			owner := make([]int32, n*n)
			clash := 0
			for i, tri := range m.Tri {
				if int(m.TriSheet[i]) != s {
					continue
				}
				a, b, c := m.UV[tri[0]], m.UV[tri[1]], m.UV[tri[2]]
				// the middle of a triangle lies inside its island
				x, y := int((a.X+b.X+c.X)/3*n), int((a.Y+b.Y+c.Y)/3*n)
				id := m.Island[i] + 1
				if o := owner[y*n+x]; o != 0 && o != id {
					clash++
				}
				owner[y*n+x] = id
			}
			if clash > 0 {
				t.Errorf("%s, %s: %d triangles lie over another island", m.Name, m.Sheets[s].Name, clash)
			}
		}
	}
}

func TestModelsAreRealSizedAndFaceOutward(t *testing.T) {
	for i, want := range []float32{0.46, 0.62, 2.31} {
		m := models()[i]
		if h := m.Bounds.Size().Y; h < want-0.03 || h > want+0.03 {
			t.Errorf("%s is %.3f m tall, want about %.2f", m.Name, h, want)
		}
		wrong := 0
		for k, tri := range m.Tri {
			if m.FaceNormal(k).Dot(m.Nrm[tri[0]]) <= 0 {
				wrong++
			}
		}
		if wrong > len(m.Tri)/200 {
			t.Errorf("%s: %d of %d normals point inward", m.Name, wrong, len(m.Tri))
		}
	}
}

func TestDocumentsAreValid(t *testing.T) {
	for _, d := range []*stack.Document{LanternDocument(), BollardDocument(), GullDocument(), FerryDocument()} {
		if err := step.Rules.Check(d); err != nil {
			t.Error(err)
		}
		b, _ := d.Encode(true)
		if _, err := step.Rules.Decode(b, nil); err != nil {
			t.Error(err)
		}
		for _, name := range d.Pictures() {
			if data := Pictures()[name].PNG; data == nil || fmt.Sprintf("%x", sha256.Sum256(data)) != name {
				t.Errorf("the picture %s is not there, or another", name)
			}
		}
	}
}

func TestEveryTexelOfAnIslandIsFound(t *testing.T) {
	m := Bollard()
	x := raster.NewIndex(m, 0)
	inside := 0
	for ty := range 4 {
		for tx := range 4 {
			f := x.Tile(512, tx, ty)
			for i := range f.Inside {
				px, py := i%f.W, i/f.W
				if f.Inside[i] && px > 0 && py > 0 && px < f.W-1 && py < f.H-1 {
					inside++
				}
			}
		}
	}
	got, want := float64(inside)/(512*512), m.Facts().Sheets[0].Coverage
	if got < want*0.985 || got > want*1.015 {
		t.Fatalf("texels cover %.4f of the sheet, the triangles %.4f", got, want)
	}
}

// A ray from outside meets the front of a surface first: nowhere does one look through a hole at
// the inside, and nothing faces inward. The lantern is a thin housing: into it one looks through its panes.
func TestModelsAreClosedFromAllSides(t *testing.T) {
	for _, m := range []*mesh.Model{Bollard(), Ferry(), Gull(), Cleat()} {
		tree, err := spatial.Build(t.Context(), m.Pos, m.Tri, nil)
		if err != nil {
			t.Fatal(err)
		}
		r := rand.New(rand.NewPCG(3, 5))
		middle, far := m.Bounds.Min.Add(m.Bounds.Size().Mul(0.5)), m.Bounds.Size().Length()
		hits, behind := 0, map[string]int{}
		for range 40000 {
			way := geom.V3(float32(r.NormFloat64()), float32(r.NormFloat64()), float32(r.NormFloat64())).Unit()
			s := m.Bounds.Size()
			to := middle.Add(geom.V3(s.X*(r.Float32()-0.5), s.Y*(r.Float32()-0.5), s.Z*(r.Float32()-0.5)))
			hit := tree.Ray(&spatial.Bundle{}, to.Add(way.Mul(far)), way.Mul(-1), 0, 2*far)
			if hit.Tri < 0 {
				continue
			}
			hits++
			if m.FaceNormal(int(hit.Tri)).Dot(way) < 0 {
				behind[m.Parts[m.TriPart[hit.Tri]].Name]++
			}
		}
		n := 0
		for _, k := range behind {
			n += k
		}
		if n > hits/500 {
			t.Errorf("%s: %d of %d rays see the inside of a surface: %v", m.Name, n, hits, behind)
		}
	}
}
