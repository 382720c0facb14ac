package stack

import (
	"fmt"
	"regexp"

	"velvetgrime/core/blend"
)

// Channel names one output of the stack.
type Channel string

// The channels every project has. Colours are sRGB-encoded 0..1; height is in
// metres around 0; normal is a unit vector in tangent space, +Y up.
const (
	BaseColor Channel = "baseColor"
	Roughness Channel = "roughness"
	Metallic  Channel = "metallic"
	Height    Channel = "height"
	Normal    Channel = "normal"
	Occlusion Channel = "ambientOcclusion"
	Opacity   Channel = "opacity"
	Emissive  Channel = "emissive"
)

// ChannelInfo describes a channel to the interface and to the evaluation.
type ChannelInfo struct {
	Channel    Channel      `json:"channel"`
	Label      string       `json:"label"`
	Components int          `json:"components" doc:"1 or 3"`
	Default    []float32    `json:"default" doc:"what an empty stack holds"`
	Suggested  []float32    `json:"suggested" doc:"a first value when the channel is switched on"`
	Min        float32      `json:"min"`
	Max        float32      `json:"max"`
	Unit       string       `json:"unit" doc:"unit in which the interface shows it"`
	Scale      float32      `json:"scale" doc:"shown value = stored value × scale"`
	Blend      blend.Mode   `json:"blend" doc:"blend mode a new layer starts with"`
	Modes      []blend.Mode `json:"modes" doc:"blend modes it can have"`
	Range      [2]float32   `json:"range" doc:"what black and white of a stream mean when a coat does not say"`
}

// Vector reports whether the channel holds unit vectors instead of plain numbers.
func (i ChannelInfo) Vector() bool { return i.Channel == Normal }

// Color reports whether the channel holds a colour.
func (i ChannelInfo) Color() bool { return i.Components == 3 && !i.Vector() }

// Channels lists the channels every project has, in display order.
var Channels = []ChannelInfo{
	{BaseColor, "base color", 3, []float32{0.5, 0.5, 0.5}, []float32{0.6, 0.55, 0.5}, 0, 1, "", 1, blend.Normal, blend.Modes(false), unitRange},
	{Roughness, "roughness", 1, []float32{0.6}, []float32{0.5}, 0, 1, "", 1, blend.Normal, blend.Modes(true), unitRange},
	{Metallic, "metallic", 1, []float32{0}, []float32{0}, 0, 1, "", 1, blend.Normal, blend.Modes(true), unitRange},
	{Height, "height", 1, []float32{0}, []float32{0.0002}, -0.02, 0.02, "mm", 1000, "add", []blend.Mode{"add", "subtract", blend.Normal, "lighten", "darken"}, [2]float32{0, 0.001}},
	{Normal, "normal", 3, []float32{0, 0, 1}, []float32{0, 0, 1}, -1, 1, "", 1, blend.Detail, []blend.Mode{blend.Detail, blend.Normal}, unitRange},
	{Occlusion, "ambient occlusion", 1, []float32{1}, []float32{1}, 0, 1, "", 1, "multiply", blend.Modes(true), unitRange},
	{Opacity, "opacity", 1, []float32{1}, []float32{1}, 0, 1, "", 1, blend.Normal, blend.Modes(true), unitRange},
	{Emissive, "emissive", 3, []float32{0, 0, 0}, []float32{1, 0.7, 0.4}, 0, 1, "", 1, "add", blend.Modes(false), unitRange},
}

var unitRange = [2]float32{0, 1}

// Info returns the description of a channel that every project has.
func Info(c Channel) (ChannelInfo, bool) {
	for _, i := range Channels {
		if i.Channel == c {
			return i, true
		}
	}
	return ChannelInfo{}, false
}

// AddedChannel is a channel that one project has added.
type AddedChannel struct {
	Channel Channel   `json:"channel" doc:"added. and letters, digits or hyphens"`
	Label   string    `json:"label"`
	Color   bool      `json:"color" doc:"three components instead of one"`
	Default []float32 `json:"default,omitempty" doc:"what an empty stack holds; black when absent"`
}

// MoreChannel is a channel beyond those that every project has, as OpenPBR Surface names and means
// it. A project has it when it was added under this name.
type MoreChannel struct {
	AddedChannel
	Help      string  `json:"help"`
	Suggested float32 `json:"suggested" doc:"a first value when a layer takes it"`
}

// The channels of More.
const (
	Specular      Channel = "added.specular"
	CoatWeight    Channel = "added.coat"
	CoatRoughness Channel = "added.coat-roughness"
	Fuzz          Channel = "added.fuzz"
	Transmission  Channel = "added.transmission"
	Scattering    Channel = "added.scattering"
	Anisotropy    Channel = "added.anisotropy"
)

// More lists the channels that a surface can have beyond the usual ones, in display order. What they
// hold where nothing was laid changes nothing of the surface.
var More = []MoreChannel{
	more(Specular, "specular", 1, 0.5, "how much what is no metal mirrors; 1: as glass and lacquer do"),
	more(CoatWeight, "coat", 0, 1, "a clear coat over all: lacquer, water, ice"),
	more(CoatRoughness, "coat roughness", 0.1, 0.1, "of the clear coat"),
	more(Fuzz, "fuzz", 0, 0.5, "fine fibres or dust that catch the light at grazing: cloth, felt, moss"),
	more(Transmission, "transmission", 0, 1, "light goes through, as through a pane, and takes the base color"),
	more(Scattering, "scattering", 0, 1, "light goes in and comes out elsewhere: wax, bone, leaves"),
	more(Anisotropy, "anisotropy", 0, 0.5, "brushed: highlights are drawn out across the brushing"),
}

func more(c Channel, label string, usual, suggested float32, help string) MoreChannel {
	return MoreChannel{AddedChannel{Channel: c, Label: label, Default: []float32{usual}}, help, suggested}
}

// MoreInfo returns one of More.
func MoreInfo(c Channel) (MoreChannel, bool) {
	for _, m := range More {
		if m.Channel == c {
			return m, true
		}
	}
	return MoreChannel{}, false
}

var addedName = regexp.MustCompile(`^added\.[A-Za-z0-9-]{1,40}$`)

func (u AddedChannel) info() ChannelInfo {
	i := ChannelInfo{Channel: u.Channel, Label: u.Label, Components: 1, Default: u.Default, Suggested: []float32{1}, Max: 1, Scale: 1, Blend: blend.Normal, Modes: blend.Modes(true), Range: unitRange}
	if u.Color {
		i.Components, i.Suggested, i.Modes = 3, []float32{1, 1, 1}, blend.Modes(false)
	}
	if m, ok := MoreInfo(u.Channel); ok {
		i.Suggested = []float32{m.Suggested}
	}
	if len(i.Default) == 0 {
		i.Default = make([]float32, i.Components)
	}
	return i
}

// MaxAddedChannels bounds what a project can add.
const MaxAddedChannels = 32

func (d *Document) checkAdded() error {
	if len(d.Added) > MaxAddedChannels {
		return fmt.Errorf("%d channels were added; at most %d are possible", len(d.Added), MaxAddedChannels)
	}
	seen := map[Channel]bool{}
	for _, u := range d.Added {
		n := map[bool]int{false: 1, true: 3}[u.Color]
		switch {
		case !addedName.MatchString(string(u.Channel)):
			return fmt.Errorf("channel %q: an added channel is named added. and letters, digits or hyphens", u.Channel)
		case seen[u.Channel]:
			return fmt.Errorf("channel %q is added twice", u.Channel)
		case u.Label == "" || len(u.Label) > 60:
			return fmt.Errorf("channel %q has no label, or one longer than 60 letters", u.Channel)
		case len(u.Default) != 0 && len(u.Default) != n:
			return fmt.Errorf("channel %q: %d default numbers where %d are needed", u.Label, len(u.Default), n)
		}
		seen[u.Channel] = true
		for _, v := range u.Default {
			if err := unit("channel "+u.Label+": default", v); err != nil {
				return err
			}
		}
	}
	return nil
}

// Info returns the description of a channel of this document.
func (d *Document) Info(c Channel) (ChannelInfo, bool) {
	for _, u := range d.Added {
		if u.Channel == c {
			return u.info(), true
		}
	}
	return Info(c)
}

// Channels lists the channels of this document in display order.
func (d *Document) Channels() []ChannelInfo {
	all := append([]ChannelInfo(nil), Channels...)
	for _, u := range d.Added {
		all = append(all, u.info())
	}
	return all
}
