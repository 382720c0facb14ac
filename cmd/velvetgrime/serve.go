package main

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"runtime/debug"
	"time"

	"velvetgrime/core/budget"
	"velvetgrime/internal/api"
	"velvetgrime/internal/demo"
	"velvetgrime/internal/jobs"
	"velvetgrime/internal/live"
	"velvetgrime/internal/store"
	"velvetgrime/web"

	"github.com/klauspost/compress/gzhttp"
	"github.com/spf13/cobra"
)

type serveOptions struct {
	addr, dsn string
	memory    int
	noWork    bool
	plain     bool
	noBakes   bool
	sheetSize int
	exchange  string
	deliverTo string
}

func (o *serveOptions) flags(c *cobra.Command) {
	c.Flags().StringVar(&o.addr, "address", "127.0.0.1:7140", "where to listen; loopback only")
	c.Flags().StringVar(&o.dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL connection string (or VELVETGRIME_DATABASE)")
	c.Flags().IntVar(&o.memory, "memory", 1536, "bound of the server's memory in MiB; most of it caches texels")
	c.Flags().StringVar(&o.exchange, "exchange", "", "folder through which views are exchanged with other programs as layered pictures (.ora): what is saved there comes back")
	c.Flags().StringVar(&o.deliverTo, "deliver-to", "", "folder below which deliveries may be put; without it they go to browsers alone")
	c.Flags().BoolVar(&o.noWork, "no-worker", false, "leave jobs to 'velvetgrime worker' processes")
}

func workerCommand() *cobra.Command {
	var dsn string
	var memory int
	c := &cobra.Command{Use: "worker", Short: "Take jobs from the queue of a running server", Args: cobra.NoArgs,
		Long: "Take bakes, unwraps and deliveries from the queue in the database, beside or instead of\nthe server's own workers. What a job changes is applied by the server.",
		RunE: func(c *cobra.Command, _ []string) error {
			if dsn == "" {
				return errors.New("no database is given; use --database or VELVETGRIME_DATABASE")
			}
			debug.SetMemoryLimit(heapBound(memory))
			s, err := store.Open(dsn)
			if err != nil {
				return err
			}
			defer s.Close()
			hub := live.NewHub(s, memory<<20*5/10)
			hub.Transient = true
			share(c.Context(), hub, memory)
			r, err := jobs.Start(c.Context(), dsn, s, hub, jobs.Work)
			if err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), "waiting for jobs")
			<-c.Context().Done()
			r.Stop()
			return nil
		}}
	c.Flags().StringVar(&dsn, "database", os.Getenv("VELVETGRIME_DATABASE"), "PostgreSQL connection string (or VELVETGRIME_DATABASE)")
	c.Flags().IntVar(&memory, "memory", 1536, "bound of the worker's memory in MiB")
	return c
}

// share bounds what is decoded, imported, baked and drawn at once, in MiB of the whole;
// the caches make room for it.
func share(ctx context.Context, hub *live.Hub, memory int) {
	budget.Memory.Share(int64(memory)<<20, hub.Relieve(ctx, heapBound(memory)))
}

// heapBound is how many bytes of so many MiB may live on the heap: what the runtime itself holds
// comes on top.
func heapBound(memory int) int64 { return int64(memory) << 20 * 72 / 100 }

func serveCommand() *cobra.Command {
	var o serveOptions
	c := &cobra.Command{Use: "serve", Short: "Serve the application", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return serve(c.Context(), o, false) }}
	o.flags(c)
	return c
}

func demoCommand() *cobra.Command {
	var o serveOptions
	c := &cobra.Command{Use: "demo", Short: "Serve the application with the projects of Low Wick landing", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error { return serve(c.Context(), o, true) }}
	o.flags(c)
	c.Flags().BoolVar(&o.noBakes, "no-bakes", false, "do not bake the models when the demo is first made")
	c.Flags().BoolVar(&o.plain, "plain", false, "give the bollard a light stack and the gull none, when the demo is first made")
	c.Flags().IntVar(&o.sheetSize, "sheet-size", 1024, "texels a side of the sheets when the demo is first made, a power of two")
	return c
}

func openAPICommand() *cobra.Command {
	return &cobra.Command{Use: "openapi", Short: "Print the API's description", Args: cobra.NoArgs, RunE: func(c *cobra.Command, _ []string) error {
		b, err := api.OpenAPI()
		if err == nil {
			_, err = fmt.Fprintln(c.OutOrStdout(), string(b))
		}
		return err
	}}
}

func serve(ctx context.Context, o serveOptions, withDemo bool) error {
	if err := api.CheckAddress(o.addr); err != nil {
		return err
	}
	if o.dsn == "" {
		return errors.New("no database is given; use --database or VELVETGRIME_DATABASE ('make demo' starts one)")
	}
	debug.SetMemoryLimit(heapBound(o.memory))
	s, err := store.Open(o.dsn)
	if err != nil {
		return err
	}
	defer s.Close()
	if withDemo {
		if err := demo.Load(ctx, s, o.sheetSize, o.plain); err != nil {
			return fmt.Errorf("loading the demo: %w", err)
		}
	}
	hub := live.NewHub(s, o.memory<<20*5/10)
	share(ctx, hub, o.memory)
	does := jobs.Apply
	if !o.noWork {
		does |= jobs.Work
	}
	runner, err := jobs.Start(ctx, o.dsn, s, hub, does)
	if err != nil {
		return err
	}
	defer hub.Close() // after the last request, and with every growing stroke
	defer runner.Stop()
	if o.exchange != "" {
		folder, err := jobs.NewFolder(o.exchange)
		if err != nil {
			return err
		}
		runner.Exchange(folder)
	}
	if o.deliverTo != "" {
		if err := os.MkdirAll(o.deliverTo, 0o755); err != nil {
			return fmt.Errorf("--deliver-to: %w", err)
		}
		runner.Outlet = o.deliverTo
	}
	l, err := net.Listen("tcp", o.addr)
	if err != nil {
		return fmt.Errorf("listening: %w; choose another with --address", err)
	}
	service := &api.Server{Store: s, Hub: hub, Jobs: runner, Page: gzhttp.GzipHandler(web.Handler())}
	server := &http.Server{Handler: service.Handler(), ReadHeaderTimeout: 10 * time.Second}
	fmt.Printf("Velvet Grime is open at http://%s/\n", l.Addr())
	if withDemo {
		if list, err := s.Projects(ctx); err == nil && len(list) > 0 {
			fmt.Printf("  %s: http://%s/#/project/%s\n", list[0].Name, l.Addr(), list[0].ID)
		}
	}
	if withDemo && !o.noBakes {
		go func() { // the page is open meanwhile, and shows how far it is
			if err := demo.Bake(ctx, s, hub, runner); err != nil && ctx.Err() == nil {
				fmt.Fprintln(os.Stderr, "the models could not be baked:", err)
			}
		}()
	}
	if !o.noBakes {
		go hub.DrawFirst(ctx)
		go func() {
			select { // what was asked for at the start comes first
			case <-ctx.Done():
			case <-time.After(20 * time.Second):
				service.Warm(ctx)
			}
		}()
	}
	go func() {
		<-ctx.Done()
		end, cancel := context.WithTimeout(context.Background(), 2*time.Second)
		defer cancel()
		_ = server.Shutdown(end)
		_ = server.Close()
	}()
	if err := server.Serve(l); !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
