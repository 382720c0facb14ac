// Command velvetgrime is the whole product in one binary.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := &cobra.Command{
		Use:           "velvetgrime",
		Short:         "Paint and layer the surfaces of 3D models",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	root.AddCommand(serveCommand(), demoCommand(), workerCommand(), inspectCommand(), evalCommand(), materialsCommand(), applyCommand(), grimeCommand(), exportCommand(), renderCommand(), bakeCommand(), unwrapCommand(), sampleCommand(), benchCommand(), clearCommand(), openAPICommand(), schemaCommand())
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "velvetgrime:", err)
		os.Exit(1)
	}
}
