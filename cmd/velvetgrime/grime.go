package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"velvetgrime/core/grime"
	"velvetgrime/core/material"
	"velvetgrime/internal/exchange"
	"velvetgrime/internal/store"

	"github.com/spf13/cobra"
)

// grimeCommand looks into .grime files, writes and takes them.
func grimeCommand() *cobra.Command {
	c := &cobra.Command{Use: "grime", Short: "Look into .grime files, write and take them"}
	c.AddCommand(grimeLook(), grimeOut(), grimeIn())
	return c
}

// openGrime opens a .grime file and has every item of it checked.
func openGrime(name string) (*grime.Archive, func(), error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, nil, err
	}
	info, err := f.Stat()
	var a *grime.Archive
	if err == nil {
		a, err = grime.Open(f, info.Size(), grime.Usual)
	}
	if err == nil {
		err = exchange.Check(a)
	}
	if err != nil {
		_ = f.Close()
		return nil, nil, fmt.Errorf("%s: %w", name, err)
	}
	return a, func() { _ = f.Close() }, nil
}

func grimeLook() *cobra.Command {
	return &cobra.Command{
		Use: "look FILE", Short: "Check a .grime file and list what it holds", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			a, done, err := openGrime(args[0])
			if err != nil {
				return err
			}
			defer done()
			out := c.OutOrStdout()
			for _, it := range a.Items {
				fmt.Fprintf(out, "%-9s %s  (%s)\n", it.Kind, it.Name, strings.Join(it.Tags, ", "))
			}
			if a.Project {
				p, strokes, err := a.Whole()
				if err != nil {
					return fmt.Errorf("%s: %w", args[0], err)
				}
				fmt.Fprintf(out, "%-9s %s  (%d entries, %d strokes)\n", "project", p.Name, len(p.Entries), len(strokes))
			}
			sum := int64(0)
			for _, b := range a.Blobs {
				if _, err := a.Blob(b.SHA256); err != nil {
					return fmt.Errorf("%s: %w", args[0], err)
				}
				sum += b.Size
			}
			_, err = fmt.Fprintf(out, "%d blobs, %.2f MiB\n", len(a.Blobs), float64(sum)/(1<<20))
			return err
		},
	}
}

// withStore runs f with the database that a flag names.
func withStore(ctx context.Context, dsn string, f func(ctx context.Context, s *store.Store) error) error {
	if dsn == "" {
		return errors.New("no database is given; use --database or VELVETGRIME_DATABASE")
	}
	s, err := store.Open(dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	return f(ctx, s)
}

func grimeOut() *cobra.Command {
	var dsn, out, project string
	var items, materials []string
	c := &cobra.Command{
		Use: "out", Short: "Write a project, things of the stock, or materials that ship as a .grime file", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if out == "" {
				return errors.New("no file is named to write to; use -o FILE.grime")
			}
			if (project != "") == (len(items)+len(materials) > 0) {
				return errors.New("name either a --project, or things of the stock with --item and --material")
			}
			write := func(run func(w io.Writer) error) error {
				return writeFile(filepath.Dir(out), filepath.Base(out), run, c.OutOrStdout())
			}
			var more []grime.Item
			for _, n := range materials {
				m, err := material.Find(n)
				if err != nil {
					return err
				}
				it, err := exchange.Shipped(m)
				if err != nil {
					return err
				}
				more = append(more, it)
			}
			name := strings.TrimSuffix(filepath.Base(out), ".grime")
			if project == "" && len(items) == 0 {
				return write(func(w io.Writer) error { return grime.Write(w, grime.Out{Name: name, Items: more}) })
			}
			return withStore(c.Context(), dsn, func(ctx context.Context, s *store.Store) error {
				if project != "" {
					id, err := projectByName(ctx, s, project)
					if err != nil {
						return err
					}
					return write(func(w io.Writer) error { return exchange.WriteProject(ctx, s, w, id) })
				}
				ids, err := itemsByName(ctx, s, items)
				if err != nil {
					return err
				}
				return write(func(w io.Writer) error { return exchange.WriteItems(ctx, s, w, name, ids, more) })
			})
		},
	}
	f := c.Flags()
	f.StringVar(&dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL connection string (or VELVETGRIME_DATABASE)")
	f.StringVar(&project, "project", "", "name or id of a project")
	f.StringArrayVar(&items, "item", nil, "name or id of a thing of the stock; may be given again")
	f.StringArrayVar(&materials, "material", nil, "name of a material that ships; may be given again")
	f.StringVarP(&out, "out", "o", "", "file to write")
	return c
}

func projectByName(ctx context.Context, s *store.Store, name string) (string, error) {
	all, err := s.Projects(ctx)
	if err != nil {
		return "", err
	}
	for _, p := range all {
		if p.ID == name || strings.EqualFold(p.Name, name) {
			return p.ID, nil
		}
	}
	return "", fmt.Errorf("there is no project %q in the database", name)
}

func itemsByName(ctx context.Context, s *store.Store, names []string) (ids []string, err error) {
	var all []store.StockItem
	for _, k := range exchange.Kinds() {
		list, err := s.Stock(ctx, k)
		if err != nil {
			return nil, err
		}
		all = append(all, list...)
	}
	for _, n := range names {
		id := ""
		for _, i := range all {
			if i.ID == n || strings.EqualFold(i.Name, n) {
				id = i.ID
			}
		}
		if id == "" {
			return nil, fmt.Errorf("the stock holds no %q", n)
		}
		ids = append(ids, id)
	}
	return ids, nil
}

func grimeIn() *cobra.Command {
	var dsn, name string
	c := &cobra.Command{
		Use: "in FILE", Short: "Take everything of a .grime file into the stock and the projects", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			a, done, err := openGrime(args[0])
			if err != nil {
				return err
			}
			defer done()
			return withStore(c.Context(), dsn, func(ctx context.Context, s *store.Store) error {
				taken, err := exchange.TakeItems(ctx, s, a, nil)
				for _, i := range taken {
					fmt.Fprintf(c.OutOrStdout(), "%-9s %s  %s\n", i.Kind, i.ID, i.Name)
				}
				if err == nil && a.Project {
					var p *store.Project
					if p, err = exchange.TakeProject(ctx, s, a, name); err == nil {
						fmt.Fprintf(c.OutOrStdout(), "%-9s %s  %s\n", "project", p.ID, p.Name)
					}
				}
				if err != nil {
					return fmt.Errorf("%s: %w", args[0], err)
				}
				return nil
			})
		},
	}
	c.Flags().StringVar(&dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL connection string (or VELVETGRIME_DATABASE)")
	c.Flags().StringVar(&name, "name", "", "of the project; empty: its own")
	return c
}
