package stack

import (
	"fmt"
	"maps"
	"slices"
)

// SizeSheet sets how many texels a sheet has.
type SizeSheet struct {
	Target string `json:"target" doc:"the sheet's name"`
	Size   int    `json:"value" doc:"texels a side"`
}

// Kind implements Op.
func (SizeSheet) Kind() string { return "sheet.size" }

func (o SizeSheet) apply(d *Document) (Op, string, error) {
	old, ok := d.Sheets[o.Target]
	if !ok {
		return nil, "", fmt.Errorf("there is no sheet %q", o.Target)
	}
	d.Sheets = maps.Clone(d.Sheets)
	d.Sheets[o.Target] = SheetSize{o.Size}
	return SizeSheet{o.Target, old.Size}, fmt.Sprintf("%s: size %d → %d", o.Target, old.Size, o.Size), nil
}

// SetLight sets in what light colours are mixed.
type SetLight struct {
	Light string `json:"value" enum:",encoded,linear"`
}

// Kind implements Op.
func (SetLight) Kind() string { return "light.set" }

func (o SetLight) apply(d *Document) (Op, string, error) {
	old := d.Light
	d.Light = o.Light
	return SetLight{
		old,
	}, "Colours mixed as " + map[bool]string{true: "linear light", false: "encoded values"}[d.Light == Linear], nil
}

// AddChannel adds a channel to the project.
type AddChannel struct {
	Channel AddedChannel `json:"value"`
	Index   int          `json:"index,omitempty" doc:"-1: last"`
}

// Kind implements Op.
func (AddChannel) Kind() string { return "channel.add" }

func (o AddChannel) apply(d *Document) (Op, string, error) {
	i, err := slot(o.Index, len(d.Added))
	if err != nil {
		return nil, "", err
	}
	d.Added = slices.Insert(slices.Clone(d.Added), i, o.Channel)
	return RemoveChannel{string(o.Channel.Channel)}, "Add channel " + o.Channel.Label, nil
}

// RemoveChannel deletes a channel that was added; the layers lose their coats of it.
type RemoveChannel struct {
	Target string `json:"target" doc:"the channel"`
}

// Kind implements Op.
func (RemoveChannel) Kind() string { return "channel.remove" }

func (o RemoveChannel) apply(d *Document) (Op, string, error) {
	ch := Channel(o.Target)
	i := slices.IndexFunc(d.Added, func(u AddedChannel) bool { return u.Channel == ch })
	if i < 0 {
		return nil, "", fmt.Errorf("the project has added no channel %q", o.Target)
	}
	u := d.Added[i]
	inverse := Batch{Ops: Ops{AddChannel{u, i}}}
	var locked error
	var has []*Layer
	d.Walk(func(l *Layer, _ []*Layer) {
		if _, ok := l.Channels[ch]; !ok {
			return
		}
		if err := d.unlocked(l); err != nil && locked == nil {
			locked = err
		}
		has = append(has, l)
	})
	if locked != nil {
		return nil, "", locked
	}
	for _, l := range has {
		inverse.Ops = append(
			inverse.Ops,
			SetLayer{Target: l.ID, Path: channelPath + o.Target, Value: raw(l.Channels[ch]), Strokes: strokesOf(l)},
		)
		d.Layers, _ = replace(d.Layers, l.ID, func(n *Layer) {
			n.Channels = maps.Clone(n.Channels)
			delete(n.Channels, ch)
		})
	}
	d.Added = slices.Delete(slices.Clone(d.Added), i, i+1)
	return inverse, "Delete channel " + u.Label, nil
}
