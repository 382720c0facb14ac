package live

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"velvetgrime/core/bake"
	"velvetgrime/core/brush"
	"velvetgrime/core/eval"
	"velvetgrime/core/mesh"
	"velvetgrime/core/meshio"
	"velvetgrime/core/par"
	"velvetgrime/core/stack"
	"velvetgrime/core/unwrap"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/store"
)

// Model returns the model as it is laid out now.
func (s *Session) Model() *mesh.Model {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.model
}

// Scene returns the model ready for evaluation.
func (s *Session) Scene() *eval.Scene {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.scene
}

// Original returns the file by which a project's model came in, with the files beside it.
func (h *Hub) Original(ctx context.Context, project string) (*meshio.Original, error) {
	p, err := h.Store.Project(ctx, project)
	if err != nil {
		return nil, err
	}
	_, d, err := h.Read(ctx, project)
	if err != nil {
		return nil, err
	}
	blob, file := modelFile(p, d.Preparation())
	data, err := h.Store.Blob(ctx, blob)
	if err != nil {
		return nil, fmt.Errorf("the model of %q: %w", p.Name, err)
	}
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	if err != nil {
		return nil, fmt.Errorf("the model of %q: %w", p.Name, err)
	}
	return &meshio.Original{Files: z, Name: file}, nil
}

// modelFile names the zip of a project's model, and the model in it.
func modelFile(p *store.Project, prep *stack.Prepared) (blob, file string) {
	if prep.Model != "" {
		return prep.Model, prep.ModelFile
	}
	return p.ModelBlob, p.ModelName
}

// Bare reads the model of a project as its file has it, without the layout that
// was made here.
func (h *Hub) Bare(ctx context.Context, p *store.Project, prep *stack.Prepared) (*mesh.Model, error) {
	blob, file := modelFile(p, prep)
	data, err := h.Store.Blob(ctx, blob)
	if err != nil {
		return nil, fmt.Errorf("the model of %q: %w", p.Name, err)
	}
	m, err := intake.Read(ctx, data, file, nil)
	if err != nil {
		return nil, fmt.Errorf("the model of %q: %w", p.Name, err)
	}
	m.Name = p.Name
	return m, nil
}

// model reads the model of a project with its layout.
func (h *Hub) model(ctx context.Context, p *store.Project, prep *stack.Prepared) (*mesh.Model, error) {
	m, err := h.Bare(ctx, p, prep)
	if err != nil {
		return nil, err
	}
	if prep.Layout != "" {
		if m, err = h.laid(ctx, p, prep, m); err != nil {
			return nil, err
		}
	}
	if len(prep.Owners) == 0 {
		return m, nil
	}
	if m, err = m.WithOwners(prep.Owners); err != nil {
		return nil, fmt.Errorf("the model of %q: %w", p.Name, err)
	}
	return m, nil
}

// laid lays a model's UVs as its project has them.
func (h *Hub) laid(ctx context.Context, p *store.Project, prep *stack.Prepared, m *mesh.Model) (*mesh.Model, error) {
	data, err := h.Store.Blob(ctx, prep.Layout)
	if err != nil {
		return nil, fmt.Errorf("the UV layout of %q: %w", p.Name, err)
	}
	l, err := unwrap.ParseLayout(data)
	if err != nil {
		return nil, fmt.Errorf("the UV layout of %q: %w", p.Name, err)
	}
	return l.Apply(m)
}

// prepared returns the model of a document that is about to be kept when it is
// another one than the current document's, else nil.
func (s *Session) prepared(next *stack.Document) (*mesh.Model, error) {
	a, b := s.doc.Preparation(), next.Preparation()
	if a.Model == b.Model && a.Layout == b.Layout {
		if slices.Equal(a.Owners, b.Owners) {
			return nil, nil
		}
		return s.Model().WithOwners(b.Owners)
	}
	ctx, cancel := context.WithTimeout(context.Background(), time.Minute)
	defer cancel()
	p, err := s.hub.Store.Project(ctx, s.ID)
	if err != nil {
		return nil, err
	}
	return s.hub.model(ctx, p, b)
}

// take makes a model the session's.
func (s *Session) take(m *mesh.Model) {
	scene := eval.NewScene(m, s.hub.Cache)
	scene.Picture = s.hub.Picture
	s.mu.Lock()
	defer s.mu.Unlock()
	s.model, s.scene, s.glb, s.report = m, scene, nil, nil
}

// modelKey tells models and layouts of a project apart.
func modelKey(d *stack.Document) string {
	p := d.Preparation()
	return p.Model[:min(len(p.Model), 12)] + "." + p.Layout[:min(len(p.Layout), 12)]
}

// tellModel has every page load the model again.
func (s *Session) tellModel() {
	for v := range s.viewers {
		v.preview, v.stroke = nil, nil
		v.post(ModelChanged{"model", modelKey(s.doc)})
	}
}

// Change applies what f makes of the current document, as the change of actor.
//
// request, when it is not empty, is the id of what is asked: a project makes the change of
// each id but once.
func (s *Session) Change(actor, request string, f func(d *stack.Document) (stack.Op, error)) error {
	err := s.run1(func() error {
		if s.known(request) {
			return nil
		}
		op, err := f(s.doc)
		if err != nil {
			return err
		}
		op = stack.Carry(op, s.strokes)
		s.request = request
		err = s.commit(actor, "do", 0, op, s.fresh(op)...)
		s.request = ""
		s.tell()
		s.refresh()
		return err
	})
	if !errors.Is(err, ErrClosed) {
		return err
	}
	n, err := s.hub.Open(context.Background(), s.ID) // nobody looked at it for long
	if err != nil {
		return err
	}
	return n.Change(actor, request, f)
}

// fresh lists the strokes that an operation brings and the project does not have.
func (s *Session) fresh(op stack.Op) (list []*brush.Stroke) {
	for _, st := range stack.Brings(op) {
		if s.strokes[st.ID] == nil {
			list = append(list, st)
		}
	}
	return list
}

// run1 runs f in the session's goroutine and returns its error, a *par.Panic when it is a
// mistake of ours, or ErrClosed.
func (s *Session) run1(f func() error) error {
	var err error
	if closed := s.do(func() { err = par.Contain(f) }); closed != nil {
		return closed
	}
	return err
}

// Post sends a small message to every page of a project that is open here.
func (h *Hub) Post(project string, m any) {
	h.mu.Lock()
	s := h.open[project]
	h.mu.Unlock()
	if s == nil {
		return
	}
	s.later(func() {
		for v := range s.viewers {
			v.post(m)
		}
	})
}

// Relayout returns the operation that gives a project another UV layout: sheets
// come and go with it, baked maps of sheets whose UVs changed are dropped, and
// reaches that name islands name the same triangles instead.
func Relayout(d *stack.Document, before, after *mesh.Model, blob, label string) stack.Op {
	op, _ := relayout(d, before, after, func(p *stack.Prepared) { p.Layout = blob }, label)
	return op
}

// relayout also returns which baked maps are dropped: those of sheets whose UVs or whose
// surface changed, and of the others those that look at the rest of the model, when any of
// it changed.
func relayout(
	d *stack.Document,
	before, after *mesh.Model,
	set func(p *stack.Prepared),
	label string,
) (stack.Batch, []string) {
	p := *d.Preparation()
	set(&p)
	p.Owners = nil // islands have other numbers now
	same, surface := unchanged(before, after), unmoved(before, after)
	moved := slices.ContainsFunc(before.Sheets, func(s mesh.Sheet) bool { return !surface[s.Name] })
	baked := map[string]map[string]stack.Baked{}
	var dropped []string
	for sheet, all := range p.Baked {
		if !same[sheet] {
			continue
		}
		for name, b := range all {
			if k, _ := bake.Get(name); !surface[sheet] || moved && k.Rays {
				dropped = append(
					dropped,
					fmt.Sprintf(
						"%s: %s was baked from the surface as it was; bake it again",
						sheet,
						cmp.Or(k.Label, name),
					),
				)
				continue
			}
			if baked[sheet] == nil {
				baked[sheet] = map[string]stack.Baked{}
			}
			baked[sheet][name] = b
		}
	}
	slices.Sort(dropped)
	p.Baked = baked
	sheets := map[string]stack.SheetSize{}
	largest := 1024
	for _, s := range d.Sheets {
		largest = max(largest, s.Size)
	}
	for _, s := range after.Sheets {
		size, ok := d.Sheets[s.Name]
		if !ok {
			size = stack.SheetSize{Size: min(largest, 2048)}
		}
		sheets[s.Name] = size
	}
	op := stack.Batch{Label: label, Ops: stack.Ops{stack.Prepare(&p, sheets, label)}}
	d.Walk(func(l *stack.Layer, _ []*stack.Layer) {
		stays := func(r stack.Reach) bool {
			return len(r.Islands) == 0 &&
				!slices.ContainsFunc(r.Sheets, func(n string) bool { return after.SheetIndex(n) < 0 || !same[n] })
		}
		left := l.Reach.Left()
		if stays(l.Reach) && stays(left) {
			return
		}
		r, changed := facesInstead(l.Reach, before, same)
		if o, off := facesInstead(left, before, same); off {
			r, changed = r.But(o), true
		}
		if changed && !l.Locked {
			op.Ops = append(op.Ops, stack.SetReach(l.ID, r))
		}
	})
	return op, dropped
}

// unmoved reports for each sheet of before whether its triangles have the same places and
// normals in after, and belong to parts of the same names.
func unmoved(before, after *mesh.Model) map[string]bool {
	out := map[string]bool{}
	if len(before.Tri) != len(after.Tri) {
		return out
	}
	for _, s := range before.Sheets {
		out[s.Name] = true
	}
	for i, a := range before.Tri {
		b, name := after.Tri[i], before.Sheets[before.TriSheet[i]].Name
		same := before.Parts[before.TriPart[i]].Name == after.Parts[after.TriPart[i]].Name
		for k := range 3 {
			same = same && before.Pos[a[k]] == after.Pos[b[k]] && before.Nrm[a[k]] == after.Nrm[b[k]]
		}
		if !same {
			out[name] = false
		}
	}
	return out
}

// unchanged reports for each sheet of before whether exactly its triangles lie on
// the sheet of that name in after, with the same UVs.
func unchanged(before, after *mesh.Model) map[string]bool {
	out := map[string]bool{}
	for _, s := range before.Sheets {
		out[s.Name] = true
	}
	if len(before.Tri) != len(after.Tri) {
		return map[string]bool{}
	}
	for i := range before.Tri {
		a, b := before.Sheets[before.TriSheet[i]].Name, after.Sheets[after.TriSheet[i]].Name
		same := a == b
		for k := range 3 {
			same = same && before.UV[before.Tri[i][k]] == after.UV[after.Tri[i][k]]
		}
		if !same {
			out[a], out[b] = false, false
		}
	}
	return out
}

// facesInstead names the triangles of islands, and of sheets that change, by
// their numbers: those stay.
func facesInstead(r stack.Reach, m *mesh.Model, same map[string]bool) (stack.Reach, bool) {
	in := make([]bool, len(m.Tri))
	var sheets []string
	for _, n := range r.Sheets {
		if same[n] {
			sheets = append(sheets, n)
		}
	}
	changed := len(sheets) != len(r.Sheets) || len(r.Islands) > 0
	for i := range m.Tri {
		name := m.Sheets[m.TriSheet[i]].Name
		in[i] = slices.Contains(r.Islands, m.Island[i]) || slices.Contains(r.Sheets, name) && !same[name]
	}
	for k := 0; k+1 < len(r.Faces); k += 2 {
		for i := max(int(r.Faces[k]), 0); i < min(int(r.Faces[k]+r.Faces[k+1]), len(in)); i++ {
			in[i] = true
		}
	}
	r.Sheets, r.Islands, r.Faces = sheets, nil, nil
	for i := 0; i < len(in); i++ {
		if !in[i] {
			continue
		}
		from := i
		for i < len(in) && in[i] {
			i++
		}
		r.Faces = append(r.Faces, int32(from), int32(i-from))
	}
	return r, changed
}

// Read returns the model and the document of a project as they are kept: from the
// open session, or from the database, without opening it.
func (h *Hub) Read(ctx context.Context, id string) (*mesh.Model, *stack.Document, error) {
	s, err := h.session(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	return s.Model(), s.Document(), nil
}

// Program returns the kept document of a project ready for evaluation, as Read.
func (h *Hub) Program(ctx context.Context, id string) (*eval.Program, error) {
	s, err := h.session(ctx, id)
	if err != nil {
		return nil, err
	}
	return s.Program(), nil
}

// ProgramAt is Program with the number of the ledger's last entry that it holds.
func (h *Hub) ProgramAt(ctx context.Context, id string) (p *eval.Program, seq int64, err error) {
	for {
		s, err := h.session(ctx, id)
		if err != nil {
			return nil, 0, err
		}
		if h.Transient { // nobody else sees it
			return s.Program(), s.seq(), nil
		}
		err = s.run1(func() error {
			p, seq = s.Program(), s.seq()
			return nil
		})
		if !errors.Is(err, ErrClosed) || ctx.Err() != nil { // it ended just now: it is read again
			return p, seq, err
		}
	}
}

// session returns the open session or, in a hub that does not keep sessions (a
// worker's), one read from the database that nobody else sees.
func (h *Hub) session(ctx context.Context, id string) (*Session, error) {
	if !h.Transient {
		return h.Open(ctx, id)
	}
	return h.read(ctx, id)
}
