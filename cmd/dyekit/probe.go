package main

import (
	"bytes"
	"context"
	"encoding/gob"
	"errors"
	"io"
	"os"
	"time"

	"github.com/spf13/cobra"

	"dyekit/core/finding"
	"dyekit/core/fonts"
	"dyekit/core/kit"
	"dyekit/internal/child"
	"dyekit/studio"
)

// What a master may take when it is looked at first.
const (
	probeMemory = 1 << 30
	probeWork   = 20 * time.Second // of all cores together
	probeTime   = time.Minute      // however busy the machine is
)

// A parcel is what the parent hands its child: a new master and the fonts it
// may be set in.
type parcel struct {
	Master []byte
	Fonts  [][]byte
}

// probation looks at a master in a child of this process.
func probation(ctx context.Context, master []byte, fonts [][]byte) error {
	var in bytes.Buffer
	if err := gob.NewEncoder(&in).Encode(parcel{master, fonts}); err != nil {
		return err
	}
	var code bytes.Buffer // of the finding that stopped it, if one did
	err := child.Run(ctx, child.Limits{Memory: probeMemory, CPU: probeWork, Time: probeTime}, &in, &code, "probe")
	var died *child.Died
	if errors.As(err, &died) {
		return &studio.Fatal{Why: died.Why}
	}
	if err != nil && code.Len() > 0 {
		return &finding.Stopped{Finding: finding.Finding{Code: finding.Code(code.String()), Severity: finding.Stop, Message: err.Error()}}
	}
	return err
}

// probeCmd is the child. People have no use for it.
func probeCmd() *cobra.Command {
	return &cobra.Command{
		Use: "probe", Hidden: true, Args: cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			var p parcel
			if err := gob.NewDecoder(os.Stdin).Decode(&p); err != nil {
				return err
			}
			set := fonts.Shipped().Clone()
			for _, f := range p.Fonts {
				if err := set.Add(f); err != nil {
					return failed(err)
				}
			}
			err := kit.Probe(cmd.Context(), p.Master, set)
			var stopped *finding.Stopped
			if errors.As(err, &stopped) {
				io.WriteString(cmd.OutOrStdout(), string(stopped.Code))
			}
			if err != nil {
				return failed(err)
			}
			return nil
		},
	}
}
