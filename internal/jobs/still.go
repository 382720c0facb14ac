package jobs

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"image/png"
	"math/rand/v2"
	"runtime"
	"strings"
	"sync"
	"time"

	"velvetgrime/core/budget"
	"velvetgrime/core/eval"
	"velvetgrime/core/exr"
	"velvetgrime/core/light"
	"velvetgrime/core/par"
	"velvetgrime/core/render"
	"velvetgrime/core/surface"
	"velvetgrime/internal/store"

	"github.com/riverqueue/river"
)

// Still is the kind of jobs that draw stills. Its parts are rounds of paths over the whole picture;
// whoever works on it claims the next one, and the one that has the job adds them in their order.
const Still = "still"

// StillOrder is a still that is to be drawn.
type StillOrder struct {
	render.Still
	Name string `json:"name" minLength:"1" maxLength:"100"`
	// Turntable makes a row of pictures all round, and one animated file of them.
	Turntable int `json:"turntable,omitempty" minimum:"0" maximum:"360" doc:"so many pictures all round; 0: one still"`
}

// turn is how long a turntable goes round, milliseconds.
const turn = 4000

// StillFacts is what is known of a finished still.
type StillFacts struct {
	Samples int     `json:"samples"`
	Error   float64 `json:"error" doc:"relative standard error of the light"`
	Seconds float64 `json:"seconds" doc:"of this worker, with what it evaluated"`
	Rounds  int     `json:"rounds"`
	Helped  int     `json:"helped" doc:"rounds that other workers traced"`
}

// The names of a still's pieces.
const (
	stillShown  = "shown" // the picture so far, PNG
	stillSum    = "sum"   // the rounds so far, added
	stillCount  = "rounds"
	stillWanted = "wanted" // the tiles that the picture needs beside the coarse ones
	stillCoarse = "coarse" // the coarse ones; put last of both
)

func init() {
	k := kinds[Still]
	k.work, k.help = drawStill, helpStill
	kinds[Still] = k
}

// helpers is how many other workers are asked to help with a still.
const helpers = 3

// OrderStill puts a still in the queue.
func (r *Runner) OrderStill(ctx context.Context, project, actor string, o StillOrder) (*store.Job, error) {
	if err := o.Check(); err != nil {
		return nil, err
	}
	if o.Turntable < 0 || o.Turntable == 1 || o.Turntable > 360 {
		return nil, fmt.Errorf("a turntable of %d pictures; 2 to 360 are possible", o.Turntable)
	}
	if _, ok := light.Find(o.Light); !ok {
		if _, err := r.panorama(ctx, o.Light); err != nil {
			return nil, err
		}
	}
	j, err := r.Order(ctx, project, Still, actor, o.Name, o)
	if err != nil {
		return nil, err
	}
	r.askHelp(ctx, j.ID)
	return j, nil
}

func (r *Runner) askHelp(ctx context.Context, id string) {
	for range helpers {
		_, _ = r.client.Insert(ctx, HelpArgs{id}, &river.InsertOpts{Queue: helpQueue, MaxAttempts: 1})
	}
}

// panorama is the light of an environment, ours or one that was kept. The last one is remembered.
func (r *Runner) panorama(ctx context.Context, id string) (*light.Panorama, error) {
	r.sky.Lock()
	defer r.sky.Unlock()
	if r.sky.id == id {
		return r.sky.Panorama, nil
	}
	p, err := r.readPanorama(ctx, id)
	if err == nil {
		r.sky.id, r.sky.Panorama = id, p
	}
	return p, err
}

// sky is a panorama that is remembered.
type sky struct {
	sync.Mutex
	id string
	*light.Panorama
}

func (r *Runner) readPanorama(ctx context.Context, id string) (*light.Panorama, error) {
	if e, ok := light.Find(id); ok {
		return e.Panorama(), nil
	}
	b, err := r.store.Blob(ctx, id)
	if errors.Is(err, store.ErrNotFound) {
		return nil, fmt.Errorf("the environment %q is not here; choose another one", id)
	}
	if err != nil {
		return nil, err
	}
	return light.Read(ctx, b)
}

// stillRounds are the first path and the count of each round: few first, so that something is seen.
func stillRounds(samples int) (list [][2]int) {
	for at, n := 0, 1; at < samples; {
		n = min(n, samples-at)
		list = append(list, [2]int{at, n})
		if at += n; at >= 2 {
			n = min(at, 8)
		}
	}
	return list
}

func roundName(i int) string { return fmt.Sprintf("round-%05d", i) }
func claimName(i int) string { return fmt.Sprintf("claim-%05d", i) }

// stillAtWork is a still that is being drawn by one worker.
type stillAtWork struct {
	r      *Runner
	job    string
	o      StillOrder
	rounds [][2]int
	traced *render.Traced
	by     uint64
}

// holdStill waits for the memory that a still takes; release gives it back.
func holdStill(ctx context.Context, p *eval.Program, o *StillOrder) (release func(), err error) {
	need := 4*render.FilmBytes(o.W, o.H) + render.SkinBytes(&o.Still) + render.ReliefBytes(&o.Still) +
		int64(len(p.Scene.Model.Tri))*(treeWeight+60)
	return budget.Memory.Hold(ctx, need)
}

// coarse is the scene with coarse sheets, and the tiles that its picture needs beside them. The owner is
// the one that has the job: it makes both, unless an earlier try has, and shows what is seen meanwhile.
// Others wait for them; a scene that is nil says that the job ended before.
func (r *Runner) coarse(
	ctx context.Context, job string, p *eval.Program, o *StillOrder, owner bool, show func(t *render.Traced, paths int) error,
) (*render.Traced, []surface.Tile, error) {
	sky, err := r.panorama(ctx, o.Light)
	if err != nil {
		return nil, nil, err
	}
	t, err := render.Clay(ctx, p.Scene.Model, o.Still, sky)
	if err != nil {
		return nil, nil, err
	}
	for {
		data, err := r.store.Piece(ctx, job, stillCoarse)
		if errors.Is(err, store.ErrNotFound) && owner {
			break
		}
		if err == nil {
			return r.coarseOf(ctx, job, t, o, data)
		}
		if !errors.Is(err, store.ErrNotFound) {
			return nil, nil, err
		}
		if on, err := r.running(ctx, job); !on {
			return nil, nil, err
		}
		select {
		case <-ctx.Done():
			return nil, nil, ctx.Err()
		case <-time.After(beat):
		}
	}
	if err := show(t, 1); err != nil { // light and shadow alone
		return nil, nil, err
	}
	b, err := render.Evaluate(ctx, p, render.Sheets(p, render.GlimpseTexels), nil)
	if err == nil {
		t, err = t.Finer(ctx, render.Flat(o.Still), b)
	}
	if err == nil {
		err = show(t, render.GlimpseSamples)
	}
	if err != nil {
		return nil, nil, err
	}
	tiles := t.Wants(p, max(o.Turntable, 1))
	list, err := json.Marshal(tiles)
	if err != nil {
		return nil, nil, err
	}
	data, err := render.Pack(t.Blocks())
	if err != nil {
		return nil, nil, err
	}
	err = r.store.PutPiece(ctx, job, stillWanted, list)
	if err == nil {
		err = r.store.PutPiece(ctx, job, stillCoarse, data)
	}
	return t, tiles, err
}

func (r *Runner) coarseOf(
	ctx context.Context, job string, t *render.Traced, o *StillOrder, data []byte,
) (*render.Traced, []surface.Tile, error) {
	b, err := render.Unpack(data, len(t.Model().Sheets))
	if err != nil {
		return nil, nil, err
	}
	list, err := r.store.Piece(ctx, job, stillWanted)
	if err != nil {
		return nil, nil, err
	}
	var tiles []surface.Tile
	if err := json.Unmarshal(list, &tiles); err != nil {
		return nil, nil, err
	}
	t, err = t.Finer(ctx, render.Flat(o.Still), b)
	return t, tiles, err
}

// beginStill makes the scene of a still ready. What its sheets need is evaluated tile by tile by all who
// work on it, each tile by one of them.
func (r *Runner) beginStill(
	ctx context.Context, job string, p *eval.Program, o StillOrder, t *render.Traced, tiles []surface.Tile, tell func(share float64),
) (*stillAtWork, error) {
	of := func() *parts {
		return &parts{r, job, "tile", rand.Uint64(), len(tiles), func(ctx context.Context, i int, _ func(float64)) ([]byte, error) {
			b, err := render.Evaluate(ctx, p, tiles[i:i+1], nil)
			if err != nil {
				return nil, err
			}
			return render.Pack(b)
		}}
	}
	var mu sync.Mutex
	made := 0
	g, gctx := par.WithContext(ctx)
	for range runtime.NumCPU() {
		g.Go(func() error {
			for own := of(); ; {
				more, err := own.ahead(gctx, 0)
				if err != nil || !more {
					return err
				}
				mu.Lock()
				if made++; tell != nil {
					tell(float64(made) / float64(len(tiles)))
				}
				mu.Unlock()
			}
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	var all []*render.Block
	own := of()
	for i := range tiles {
		data, err := own.part(ctx, i, func(float64) {}) // waits for what others are at
		if err != nil {
			return nil, err
		}
		b, err := render.Unpack(data, len(p.Scene.Model.Sheets))
		if err != nil {
			return nil, err
		}
		all = append(all, b...)
	}
	s := o.Still
	s.Round = o.Turntable > 0
	t, err := t.Finer(ctx, s, all)
	return &stillAtWork{r, job, o, stillRounds(o.Samples), t, rand.Uint64()}, err
}

// stateOf tells apart what a still can be drawn of.
func stateOf(p *eval.Program) (string, error) {
	d := *p.Doc
	d.Palette, d.Judged = nil, nil // nothing of them is drawn
	b, err := json.Marshal(d)
	if err != nil {
		return "", err
	}
	h := sha256.New()
	h.Write(b)
	h.Write(p.Scene.Model.Hash[:])
	return hex.EncodeToString(h.Sum(nil)), nil
}

// trace traces a round that was claimed, and claims it again meanwhile.
func (w *stillAtWork) trace(ctx context.Context, i int, tell func(share float64)) (*render.Film, error) {
	ctx, stop := w.r.claimed(ctx, w.job, claimName(i), w.by)
	defer stop()
	return w.traced.Trace(ctx, w.rounds[i][0], w.rounds[i][1], tell)
}

// claimed claims a piece again and again until stop is called.
func (r *Runner) claimed(ctx context.Context, job, claim string, by uint64) (of context.Context, stop func()) {
	ctx, stop = context.WithCancel(ctx)
	go func() {
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(lost / 4):
				_, _ = r.store.Claim(ctx, job, claim, by, time.Now().Add(-lost))
			}
		}
	}()
	return ctx, stop
}

// drawStill is the work of the one that has the job.
func drawStill(ctx context.Context, r *Runner, t *task) error {
	begun := time.Now()
	ctx = par.Yielding(ctx, r.hub.First)
	var o StillOrder
	if err := json.Unmarshal(t.Args, &o); err != nil {
		return err
	}
	p, err := r.hub.Program(ctx, t.ProjectID)
	if err != nil {
		return err
	}
	release, err := holdStill(ctx, p, &o)
	if err != nil {
		return err
	}
	defer release()
	if o.Turntable > 0 {
		return r.drawTurntable(ctx, t, p, o, begun)
	}
	film, next, err := r.takeUp(ctx, t.ID, p, &o)
	if err != nil {
		return err
	}
	w, err := r.ownStill(ctx, t, p, o)
	if err != nil {
		return err
	}
	facts := StillFacts{Samples: o.Samples, Rounds: len(w.rounds)}
	keep := &keeper{w: w, ctx: ctx, kept: next}
	defer keep.wait()
	own := 0.0 // seconds a path
	share := func(done float64) float64 { return 0.1 + 0.9*done/float64(o.Samples) }
	for next < len(w.rounds) {
		got, from, err := w.round(ctx, next, func(s float64) {
			done := float64(w.rounds[next][0]) + s*float64(w.rounds[next][1])
			note := fmt.Sprintf("%d of %d paths", int(done), o.Samples)
			if own > 0 {
				note += fmt.Sprintf(", about %s left", span(own*(float64(o.Samples)-done)))
			}
			t.tell(share(done), note)
		})
		if err != nil {
			return err
		}
		if from == 0 {
			facts.Helped++
		} else {
			own = from / float64(w.rounds[next][1])
		}
		if err := film.Add(got); err != nil {
			return err
		}
		next++
		if err := keep.round(film, next); err != nil {
			return err
		}
	}
	if err := keep.wait(); err != nil {
		return err
	}
	t.tell(0.99, "developing")
	if t.Files, err = r.develop(ctx, film, &o); err != nil {
		return err
	}
	facts.Error, facts.Seconds = film.Error(), time.Since(begun).Seconds()
	t.Result, err = json.Marshal(facts)
	return err
}

func span(seconds float64) string {
	if seconds < 90 {
		return fmt.Sprintf("%.0f s", seconds)
	}
	return fmt.Sprintf("%.0f min", seconds/60)
}

// ownStill makes the scene ready for the one that has the job, and shows what can be seen meanwhile.
func (r *Runner) ownStill(ctx context.Context, t *task, p *eval.Program, o StillOrder) (*stillAtWork, error) {
	t.tell(t.Progress, "a first look")
	scene, tiles, err := r.coarse(ctx, t.ID, p, &o, true, func(seen *render.Traced, paths int) error {
		small := seen.As(render.Glimpse(render.Flat(o.Still)))
		f, err := small.Trace(ctx, 0, paths, nil)
		if err != nil {
			return err
		}
		return r.show(ctx, t.ID, f, &small.Still)
	})
	if err != nil {
		return nil, err
	}
	from := t.Progress
	return r.beginStill(ctx, t.ID, p, o, scene, tiles, func(s float64) { t.tell(0.1*s*(1-from)+from, "evaluating what is seen") })
}

// takeUp goes on with what an earlier try has traced, when it was of the same state.
func (r *Runner) takeUp(ctx context.Context, job string, p *eval.Program, o *StillOrder) (*render.Film, int, error) {
	film := render.NewFilm(o.W, o.H)
	fresh, err := r.begin(ctx, job, p)
	if err != nil || fresh {
		return film, 0, err
	}
	sum, err := r.store.Piece(ctx, job, stillSum)
	if err != nil {
		return film, 0, nil // nothing was added up yet
	}
	if old, err := render.UnpackFilm(sum, o.W, o.H); err == nil {
		for i, round := range stillRounds(o.Samples) {
			if round[0]+round[1] == old.Samples {
				return old, i + 1, nil
			}
		}
	}
	return film, 0, nil
}

func (r *Runner) show(ctx context.Context, job string, f *render.Film, s *render.Still) error {
	var b bytes.Buffer
	if err := (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, f.Shown(s)); err != nil {
		return err
	}
	return r.store.PutPiece(ctx, job, stillShown, b.Bytes())
}

// round returns a round, traced here or by another worker; seconds is how long it took here, 0 when
// it was another's.
func (w *stillAtWork) round(ctx context.Context, i int, tell func(share float64)) (*render.Film, float64, error) {
	for {
		data, err := w.r.store.Piece(ctx, w.job, roundName(i))
		if err == nil {
			if f, err := render.UnpackFilm(data, w.o.W, w.o.H); err == nil {
				return f, 0, nil
			}
		} else if !errors.Is(err, store.ErrNotFound) {
			return nil, 0, err
		}
		mine, err := w.r.store.Claim(ctx, w.job, claimName(i), w.by, time.Now().Add(-lost))
		if err != nil {
			return nil, 0, err
		}
		if mine {
			begun := time.Now()
			f, err := w.trace(ctx, i, tell)
			return f, time.Since(begun).Seconds(), err
		}
		// another worker has it: one of the later ones is traced meanwhile
		ahead, err := w.ahead(ctx, i+1)
		if err != nil {
			return nil, 0, err
		}
		if !ahead {
			select {
			case <-ctx.Done():
				return nil, 0, ctx.Err()
			case <-time.After(beat):
			}
		}
	}
}

// ahead traces the first round from i on that nobody has claimed, and keeps it; false: there is none.
func (w *stillAtWork) ahead(ctx context.Context, i int) (bool, error) {
	for ; i < len(w.rounds); i++ {
		if _, err := w.r.store.Piece(ctx, w.job, roundName(i)); err == nil {
			continue
		}
		mine, err := w.r.store.Claim(ctx, w.job, claimName(i), w.by, time.Now().Add(-lost))
		if err != nil {
			return false, err
		}
		if !mine {
			continue
		}
		f, err := w.trace(ctx, i, nil)
		if err != nil {
			return false, err
		}
		data, err := f.Pack()
		if err != nil {
			return false, err
		}
		return true, w.r.store.PutPiece(ctx, w.job, roundName(i), data)
	}
	return false, nil
}

// keeper keeps the sum of what was traced and shows it, beside the tracing: packing a film takes as long
// as a path a pixel.
type keeper struct {
	w    *stillAtWork
	ctx  context.Context
	kept int // so many rounds
	last time.Time
	busy chan error // of what is under way; nil: nothing is
}

// between is how long a still that is lost is traced in vain, at most about.
const between = 10 * time.Second

// round tells of a film with so many rounds.
func (k *keeper) round(film *render.Film, n int) error {
	if err := k.w.r.store.PutPiece(k.ctx, k.w.job, stillCount, fmt.Append(nil, n)); err != nil { // for who helps
		return err
	}
	at := film.Samples
	show := at&(at-1) == 0 || at%32 == 0
	if !show && time.Since(k.last) < between {
		return nil
	}
	if k.busy != nil {
		select {
		case err := <-k.busy:
			if k.busy = nil; err != nil {
				return err
			}
		default:
			return nil // it is at an earlier one; a later one will be kept
		}
	}
	k.last = time.Now()
	k.busy = make(chan error, 1)
	from, sum := k.kept, film.Clone()
	k.kept = n
	go func() {
		k.busy <- par.Contain(func() error { return k.w.keep(k.ctx, sum, from, n, show) })
	}()
	return nil
}

// wait waits for what is under way.
func (k *keeper) wait() error {
	if k.busy == nil {
		return nil
	}
	err := <-k.busy
	k.busy = nil
	return err
}

// keep keeps the sum of the first n rounds, so that another try goes on with it. The pieces of those from
// from on are not needed then.
func (w *stillAtWork) keep(ctx context.Context, film *render.Film, from, n int, show bool) error {
	if show {
		if err := w.r.show(ctx, w.job, film, &w.o.Still); err != nil {
			return err
		}
	}
	data, err := film.Pack()
	if err != nil {
		return err
	}
	if err := w.r.store.PutPiece(ctx, w.job, stillSum, data); err != nil {
		return err
	}
	var names []string
	for i := from; i < n; i++ {
		names = append(names, roundName(i))
	}
	return w.r.store.DropPieces(ctx, w.job, names...)
}

// develop keeps the files of a finished still.
func (r *Runner) develop(ctx context.Context, f *render.Film, o *StillOrder) (json.RawMessage, error) {
	img, list := f.Finish(&o.Still)
	var b bytes.Buffer
	var layers []byte
	g, _ := par.WithContext(ctx)
	g.Go(func() error { return (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, img) })
	g.Go(func() (err error) { layers, err = exr.Encode(o.W, o.H, list, false); return err })
	if err := g.Wait(); err != nil {
		return nil, err
	}
	name := strings.TrimSuffix(fileName(o.Name), ".ora")
	var files []store.JobFile
	for ext, data := range map[string][]byte{".png": b.Bytes(), ".exr": layers} {
		blob, err := r.store.PutBlob(ctx, data)
		if err != nil {
			return nil, err
		}
		files = append(files, store.JobFile{Name: name + ext, Blob: blob, Size: len(data)})
	}
	if strings.HasSuffix(files[0].Name, ".exr") {
		files[0], files[1] = files[1], files[0]
	}
	return json.Marshal(files)
}

// helpStill traces rounds of a still that another worker has.
func helpStill(ctx context.Context, r *Runner, j *store.Job) error {
	var o StillOrder
	if err := json.Unmarshal(j.Args, &o); err != nil {
		return err
	}
	p, err := r.hub.Program(ctx, j.ProjectID)
	if err != nil {
		return err
	}
	// what was begun of another state is not helped with
	if ok, err := r.ofState(ctx, j.ID, p); !ok {
		return err
	}
	release, err := holdStill(ctx, p, &o)
	if err != nil {
		return err
	}
	defer release()
	scene, tiles, err := r.coarse(ctx, j.ID, p, &o, false, nil)
	if err != nil || scene == nil {
		return err
	}
	w, err := r.beginStill(ctx, j.ID, p, o, scene, tiles, nil)
	if err != nil {
		return err
	}
	if o.Turntable > 0 {
		return w.turntable().help(ctx, p)
	}
	for {
		if on, err := r.running(ctx, j.ID); !on {
			return err
		}
		done := 0
		if count, err := r.store.Piece(ctx, j.ID, stillCount); err == nil {
			_, _ = fmt.Sscan(string(count), &done)
		}
		more, err := w.ahead(ctx, max(done, 1)) // the first is so small that its owner has it at once
		if err != nil || !more {
			return err
		}
	}
}

// StillShown is the picture of a still that is being drawn, as far as it is; PNG.
func (r *Runner) StillShown(ctx context.Context, id string) ([]byte, error) {
	return r.store.Piece(ctx, id, stillShown)
}
