package api

import (
	"cmp"
	"context"
	"encoding/json"
	"slices"
	"time"

	"velvetgrime/core/deliver"
	"velvetgrime/core/stack"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"
)

type orderInput struct {
	ID   string `path:"id"`
	Body deliver.Order
}

// KeptPreset names a preset that was kept.
type KeptPreset struct {
	ID string `json:"id"`
}

// Deliveries is what a delivery can be made of.
type Deliveries struct {
	Presets []deliver.FilePreset `json:"presets" doc:"ours, and those that are kept in the stock"`
	Kept    []string             `json:"kept" doc:"the stock's ids of the last ones, in their order"`
	Sources []deliver.Source     `json:"sources" doc:"what a component can hold"`
	Folders bool                 `json:"folders" doc:"the server can put files into folders, too"`
}

// Planned is what an order comes to.
type Planned struct {
	Files []deliver.File `json:"files"`
	There []string       `json:"there" doc:"names of files that are in the folder already: they are written over"`
}

// Since is what has changed since a delivery.
type Since struct {
	Files   []deliver.Change `json:"files"`
	Entries int              `json:"entries" doc:"of the ledger, since"`
	Labels  []string         `json:"labels" doc:"of the last of them, the latest first"`
}

// OneDelivery is a delivery note, and of which project.
type OneDelivery struct {
	Project string       `json:"project"`
	Name    string       `json:"name" doc:"the project's"`
	Note    deliver.Note `json:"note"`
}

// CameHome is the layer that brought corrections home.
type CameHome struct {
	Layer string `json:"layer"`
	Name  string `json:"name"`
}

// mostSince bounds how many changes since a delivery are named.
const mostSince = 12

// presetKind is the kind of delivery presets in the stock.
const presetKind = "delivery preset"

func (s *Server) deliveries(api huma.API) {
	huma.Get(api, "/api/projects/{id}/deliveries/presets", func(ctx context.Context, in *idInput) (*body[Deliveries], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		out := &body[Deliveries]{Deliveries{deliver.Presets(), []string{}, deliver.Sources(p.Document()), s.Jobs.Outlet != ""}}
		list, err := s.Store.Stock(ctx, presetKind)
		for _, i := range list {
			var one deliver.FilePreset
			if json.Unmarshal(i.Data, &one) == nil && one.Check() == nil {
				out.Body.Presets = append(out.Body.Presets, one)
				out.Body.Kept = append(out.Body.Kept, i.ID)
			}
		}
		return out, fail(err)
	})
	huma.Post(api, "/api/stock/presets", func(ctx context.Context, in *struct {
		ID   string `query:"id" doc:"of one that is changed; empty: a new one"`
		Body deliver.FilePreset
	}) (*body[KeptPreset], error) {
		if err := in.Body.Check(); err != nil {
			return nil, fail(err)
		}
		data, err := json.Marshal(in.Body)
		if err != nil {
			return nil, fail(err)
		}
		k := KeptPreset{ID: cmp.Or(in.ID, uuid.NewString())}
		return &body[KeptPreset]{k}, fail(s.Store.PutStock(ctx, &store.StockItem{
			ID: k.ID, Kind: presetKind, Name: in.Body.Name, Data: data, At: time.Now(),
		}))
	})
	huma.Post(api, "/api/projects/{id}/plan", func(ctx context.Context, in *orderInput) (*body[Planned], error) {
		p, err := s.Hub.Open(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		out := &body[Planned]{Planned{There: []string{}}}
		if out.Body.Files, err = deliver.Plan(p.Program(), in.Body); err != nil {
			return nil, fail(err)
		}
		if in.Body.Folder != "" {
			there, err := s.Jobs.There(in.Body.Folder, out.Body.Files)
			if err != nil {
				return nil, fail(err)
			}
			out.Body.There = append(out.Body.There, there...)
		}
		return out, nil
	})
	huma.Post(api, "/api/projects/{id}/plan/warnings", func(ctx context.Context, in *orderInput) (*body[[]deliver.Warning], error) {
		w, err := s.work(ctx, in.ID, in.Body)
		if err != nil {
			return nil, fail(err)
		}
		list, err := w.Warnings(ctx)
		return &body[[]deliver.Warning]{append([]deliver.Warning{}, list...)}, fail(err)
	})
	huma.Post(api, "/api/projects/{id}/deliveries", func(ctx context.Context, in *orderInput) (*body[jobs.Line], error) {
		return s.order(ctx, in.ID, in.Body)
	})
	huma.Get(api, "/api/projects/{id}/deliveries", func(ctx context.Context, in *idInput) (*body[[]deliver.Note], error) {
		list, err := s.Store.Deliveries(ctx, in.ID)
		out := &body[[]deliver.Note]{Body: []deliver.Note{}}
		for _, d := range list {
			var n deliver.Note
			if json.Unmarshal(d.Note, &n) == nil {
				out.Body = append(out.Body, n)
			}
		}
		return out, fail(err)
	})
	huma.Get(api, "/api/deliveries/{id}/since", func(ctx context.Context, in *idInput) (*body[Since], error) {
		project, n, w, err := s.delivered(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		out := &body[Since]{Since{Files: n.Since(w), Labels: []string{}}}
		_, entries, err := s.Store.Latest(ctx, project)
		slices.Reverse(entries)
		for _, e := range entries {
			if e.Seq <= n.Seq {
				break
			}
			if out.Body.Entries++; len(out.Body.Labels) < mostSince {
				out.Body.Labels = append(out.Body.Labels, e.Label)
			}
		}
		return out, fail(err)
	})
	huma.Post(api, "/api/deliveries/{id}/again", func(ctx context.Context, in *idInput) (*body[jobs.Line], error) {
		project, n, err := s.note(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		return s.order(ctx, project, n.Order)
	})
	huma.Get(api, "/api/deliveries/{id}", func(ctx context.Context, in *idInput) (*body[OneDelivery], error) {
		project, n, err := s.note(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		p, err := s.Store.Project(ctx, project)
		if err != nil {
			return nil, fail(err)
		}
		return &body[OneDelivery]{OneDelivery{project, p.Name, *n}}, nil
	})
	huma.Post(api, "/api/deliveries/{id}/home", func(ctx context.Context, in *struct {
		ID      string `path:"id"`
		Actor   string `query:"actor" maxLength:"64"`
		Request string `query:"request" maxLength:"64" doc:"id of what is asked: it is done once"`
		Body    deliver.Corrections
	}) (*body[CameHome], error) {
		project, _, err := s.note(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		p, err := s.Hub.Open(ctx, project)
		if err != nil {
			return nil, fail(err)
		}
		l, err := in.Body.Layer(uuid.NewString())
		if err != nil {
			return nil, fail(err)
		}
		err = p.Change(in.Actor, in.Request, func(d *stack.Document) (stack.Op, error) {
			return stack.AddLayer{Index: len(d.Layers), Layer: l}, nil
		})
		return &body[CameHome]{CameHome{l.ID, l.Name}}, fail(err)
	})
	huma.Get(api, "/api/deliveries/{id}/compared", func(ctx context.Context, in *idInput) (*body[[]deliver.Compared], error) {
		_, n, w, err := s.delivered(ctx, in.ID)
		if err != nil {
			return nil, fail(err)
		}
		hash := map[string]string{}
		for _, f := range n.Files {
			hash[f.Name] = f.SHA256
		}
		list, err := w.Compare(ctx, func(name string) ([]byte, error) {
			if hash[name] == "" {
				return nil, store.ErrNotFound
			}
			return s.Store.Blob(ctx, hash[name])
		})
		return &body[[]deliver.Compared]{append([]deliver.Compared{}, list...)}, fail(err)
	})
}

// work plans an order of a project as it is now.
func (s *Server) work(ctx context.Context, project string, o deliver.Order) (*deliver.Work, error) {
	p, err := s.Hub.Program(ctx, project)
	if err != nil {
		return nil, err
	}
	if o.Original, err = s.Hub.Original(ctx, project); err != nil {
		return nil, err
	}
	return deliver.NewWork(p, o)
}

// delivered is a delivery's note, and its order planned for the project as it is now.
func (s *Server) delivered(ctx context.Context, id string) (project string, n *deliver.Note, w *deliver.Work, err error) {
	if project, n, err = s.note(ctx, id); err == nil {
		w, err = s.work(ctx, project, n.Order)
	}
	return project, n, w, err
}

// order puts an order in the queue, when it can be carried out.
func (s *Server) order(ctx context.Context, project string, o deliver.Order) (*body[jobs.Line], error) {
	p, err := s.Hub.Open(ctx, project)
	if err != nil {
		return nil, fail(err)
	}
	if _, err := deliver.Plan(p.Program(), o); err != nil {
		return nil, fail(err)
	}
	j, err := s.Jobs.Deliver(ctx, project, "", o)
	if err != nil {
		return nil, fail(err)
	}
	return &body[jobs.Line]{jobs.LineOf(j)}, nil
}

// note returns a delivery note, and the project that it is of.
func (s *Server) note(ctx context.Context, id string) (string, *deliver.Note, error) {
	d, err := s.Store.DeliveryByID(ctx, id)
	if err != nil {
		return "", nil, err
	}
	var n deliver.Note
	return d.ProjectID, &n, json.Unmarshal(d.Note, &n)
}
