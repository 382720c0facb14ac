package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"time"

	"velvetgrime/core/grime"
	"velvetgrime/core/material"
	"velvetgrime/core/meshio"
	"velvetgrime/core/sample"
	"velvetgrime/internal/api"
	"velvetgrime/internal/exchange"
	"velvetgrime/internal/intake"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"
)

// manyKept is how many materials of its own the stock has when it is opened.
const manyKept = 2000

// benchGrime times the lantern's project going out as a .grime file and coming in again, or those of
// that name that the database has, bakes and all; and the stock with two thousand materials, listed for
// the first time and again.
func benchGrime(ctx context.Context, r *report) error {
	if r.dsn == "" {
		return nil
	}
	st, err := store.Open(r.dsn)
	if err != nil {
		return err
	}
	defer st.Close()
	const name = "Signal lantern"
	id, what := "", "as it is in the database"
	list, err := st.Projects(ctx)
	if err != nil {
		return err
	}
	for _, p := range list {
		if p.Name == name {
			id = p.ID
		}
	}
	if id == "" {
		var glb bytes.Buffer
		if err := meshio.WriteGLB(&glb, sample.Lantern(), meshio.Options{}); err != nil {
			return err
		}
		p, err := intake.Create(ctx, st, "", name, map[string][]byte{"lantern.glb": glb.Bytes()}, sample.LanternDocument(), nil)
		if err != nil {
			return err
		}
		id, what = p.ID, "without bakes"
		defer st.Delete(context.Background(), p.ID) //nolint:errcheck // a bench's own
	}
	var file bytes.Buffer
	t := time.Now()
	if err := exchange.WriteProject(ctx, st, &file, id); err != nil {
		return err
	}
	size := fmt.Sprintf("%s, %s, %.1f MiB", name, what, float64(file.Len())/(1<<20))
	r.add("grime", size+": out", "ms", []float64{since(t)})
	t = time.Now()
	a, err := grime.Open(bytes.NewReader(file.Bytes()), int64(file.Len()), grime.Usual)
	if err != nil {
		return err
	}
	taken, err := exchange.TakeProject(ctx, st, a, "Bench")
	if err != nil {
		return err
	}
	r.add("grime", size+": in", "ms", []float64{since(t)})
	defer st.Delete(context.Background(), taken.ID) //nolint:errcheck // as above
	return benchStock(ctx, r, st)
}

func benchStock(ctx context.Context, r *report, st *store.Store) error {
	ships := material.All()
	var ids []string
	defer func() {
		for _, id := range ids {
			_ = st.DropStock(context.Background(), id)
		}
	}()
	for i := range manyKept {
		m := ships[i%len(ships)]
		data, err := json.Marshal(exchange.KeptMaterial{Version: 1, Made: m.Made, Tags: m.Tags, Group: m.Group("material", 0)})
		if err != nil {
			return err
		}
		item := store.StockItem{ID: fmt.Sprint("bench-", i), Kind: "material", Name: fmt.Sprintf("%s, trial %d", m.Name, i), Data: data, At: time.Now()}
		if err := st.PutStock(ctx, &item); err != nil {
			return err
		}
		ids = append(ids, item.ID)
	}
	server := httptest.NewServer((&api.Server{Store: st, Hub: live.NewHub(st, benchCache)}).Handler())
	defer server.Close()
	for _, when := range []string{"the first time", "again"} {
		t := time.Now()
		answer, err := http.Get(server.URL + "/api/materials")
		if err != nil {
			return err
		}
		n, err := io.Copy(io.Discard, answer.Body)
		answer.Body.Close() //nolint:errcheck // it was read
		if err != nil {
			return fmt.Errorf("the materials were not listed: %w", err)
		}
		if answer.StatusCode != http.StatusOK {
			return fmt.Errorf("the materials were not listed: %s", answer.Status)
		}
		r.add("grime", fmt.Sprintf("the stock with %d materials listed, %s, %d kB", manyKept+len(ships), when, n>>10), "ms", []float64{since(t)})
	}
	return nil
}
