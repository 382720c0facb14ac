package api

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"velvetgrime/internal/store"

	"github.com/danielgtaylor/huma/v2"
)

// Collection is a choice of the stock's things under a name.
type Collection struct {
	ID    string   `json:"id"`
	Name  string   `json:"name" minLength:"1" maxLength:"80"`
	Items []string `json:"items" maxItems:"5000" doc:"ids of items, and names of what ships"`
}

// collectionRoutes keep collections: they are things of the stock themselves.
func (s *Server) collectionRoutes(api huma.API) {
	huma.Get(api, "/api/stock/collections", func(ctx context.Context, _ *struct{}) (*body[[]Collection], error) {
		list, err := s.Store.Stock(ctx, "collection")
		out := &body[[]Collection]{Body: []Collection{}}
		for _, i := range list {
			c := Collection{ID: i.ID, Name: i.Name}
			if json.Unmarshal(i.Data, &c.Items) == nil {
				out.Body = append(out.Body, c)
			}
		}
		return out, fail(err)
	})
	huma.Put(api, "/api/stock/collections/{id}", func(ctx context.Context, in *struct {
		ID   string `path:"id" minLength:"8" maxLength:"64"`
		Body struct {
			Name  string   `json:"name" minLength:"1" maxLength:"80"`
			Items []string `json:"items" maxItems:"5000"`
		}
	}) (*body[Collection], error) {
		if there, err := s.Store.StockByID(ctx, in.ID); err == nil && there.Kind != "collection" {
			return nil, fail(fmt.Errorf("%q is no collection but a %s", there.Name, there.Kind))
		}
		data, err := json.Marshal(in.Body.Items)
		if err != nil {
			return nil, fail(err)
		}
		i := &store.StockItem{ID: in.ID, Kind: "collection", Name: in.Body.Name, Data: data, At: time.Now()}
		return &body[Collection]{Collection{in.ID, in.Body.Name, in.Body.Items}}, fail(s.Store.PutStock(ctx, i))
	})
}
