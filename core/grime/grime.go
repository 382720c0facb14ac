// Package grime reads and writes .grime files, by which work goes from one place to another: a
// zip (APPNOTE 6.3) with a manifest, fragments of documents as JSON, strokes, and everything
// else by its content. docs/formats/grime.md describes them field by field.
package grime

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"regexp"
	"time"
)

// Format and Version are what the manifest begins with. A reader refuses later versions.
const (
	Format  = "grime"
	Version = 1
)

// Names of the files of an archive.
const (
	manifestFile = "manifest.json"
	projectFile  = "project.json"
	strokesFile  = "strokes.jsonl"
	itemFile     = "items/%04d.json"
	blobFolder   = "blobs/"
)

// Manifest tells what an archive holds.
type Manifest struct {
	Format  string `json:"format" doc:"grime"`
	Version int    `json:"version" doc:"1"`
	Name    string `json:"name,omitempty" doc:"of the collection, or of the project"`
	Items   []Item `json:"items,omitempty" doc:"things of the stock"`
	Project bool   `json:"project,omitempty" doc:"a whole project lies in project.json and strokes.jsonl"`
	Blobs   []Blob `json:"blobs,omitempty" doc:"what lies in the folder blobs, by name"`
}

// Item is a thing of the stock.
type Item struct {
	Kind    string   `json:"kind" doc:"material, mask, stamp, brush or palette"`
	Name    string   `json:"name"`
	Tags    []string `json:"tags,omitempty"`
	File    string   `json:"file" doc:"where its data lie in the archive"`
	Picture string   `json:"picture,omitempty" doc:"blob of a PNG that shows it"`

	Data json.RawMessage `json:"-"`
}

// Blob is something that is known by its content: a picture, a model, a UV layout.
type Blob struct {
	SHA256 string `json:"sha256" doc:"of its bytes; they lie in blobs/ under that name"`
	Size   int64  `json:"size" doc:"bytes"`
}

// Project is all of a project.
type Project struct {
	Name      string     `json:"name"`
	ModelName string     `json:"modelName" doc:"file name of the model in its blob, a zip"`
	ModelBlob string     `json:"modelBlob"`
	Picture   string     `json:"picture,omitempty" doc:"blob of a PNG that shows it"`
	Created   time.Time  `json:"created"`
	Snapshots []Snapshot `json:"snapshots" doc:"whole documents at places of the ledger, rising"`
	Entries   []Entry    `json:"entries,omitempty" doc:"the ledger, rising"`
	Marks     []Mark     `json:"marks,omitempty"`
	Pictures  []Picture  `json:"pictures,omitempty" doc:"pictures that it can use"`
	// Deliveries are notes of what was delivered; the files are not there.
	Deliveries []Delivery `json:"deliveries,omitempty" doc:"notes of what was delivered; the files themselves are made again"`
}

// Delivery is the note of a delivery.
type Delivery struct {
	At   time.Time       `json:"at"`
	Note json.RawMessage `json:"note" doc:"order, files with sizes and hashes, place in the ledger"`
}

// Snapshot is a whole document at a place of the ledger.
type Snapshot struct {
	Seq      int64           `json:"seq" doc:"after which entry; 0: the beginning"`
	Document json.RawMessage `json:"document" doc:"as document.md says, strokes by their ids"`
}

// Entry is an entry of the ledger.
type Entry struct {
	Seq     int64           `json:"seq"`
	Actor   string          `json:"actor"`
	Kind    string          `json:"kind" doc:"do, undo, redo or jump"`
	Ref     int64           `json:"ref,omitempty" doc:"the entry that an undo or redo acts on, or that a jump goes to"`
	Label   string          `json:"label"`
	Op      json.RawMessage `json:"op" doc:"as operations.md says"`
	Inverse json.RawMessage `json:"inverse"`
	At      time.Time       `json:"at"`
	Request string          `json:"request,omitempty" doc:"the id under which it was asked for"`
}

// Mark is a name given to a place of the ledger.
type Mark struct {
	Seq  int64  `json:"seq"`
	Name string `json:"name"`
}

// Picture is a picture that a project can use.
type Picture struct {
	Blob   string    `json:"picture"`
	Name   string    `json:"name"`
	Width  int       `json:"width"`
	Height int       `json:"height"`
	At     time.Time `json:"at"`
}

// Limits bound what is read of a file that comes from outside, before memory is taken.
type Limits struct {
	Files int   // in the archive
	JSON  int64 // bytes of a JSON file
	Blob  int64 // bytes of a blob
	All   int64 // bytes of everything, unpacked
}

// Usual are the limits of what anybody sends.
var Usual = Limits{Files: 20_000, JSON: 256 << 20, Blob: 1 << 30, All: 4 << 30}

// Hash matches the name of a blob in any text.
var Hash = regexp.MustCompile(`\b[0-9a-f]{64}\b`)

func where(name string, err error) error { return fmt.Errorf("%s: %w", name, err) }

// HashOf returns the name of a blob.
func HashOf(b []byte) string {
	sum := sha256.Sum256(b)
	return hex.EncodeToString(sum[:])
}
