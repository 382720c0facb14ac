package meshio

import (
	"bytes"
	"encoding/json"
	"fmt"
	"slices"
)

// object is a JSON object whose members keep their order and, where nobody sets them, their bytes.
type object struct {
	keys []string
	at   map[string]json.RawMessage
}

func parseObject(data []byte) (*object, error) {
	o := &object{at: map[string]json.RawMessage{}}
	d := json.NewDecoder(bytes.NewReader(data))
	if t, err := d.Token(); err != nil || t != json.Delim('{') {
		return nil, fmt.Errorf("an object was expected, not %.20s", data)
	}
	for d.More() {
		k, err := d.Token()
		if err != nil {
			return nil, err
		}
		var v json.RawMessage
		if err := d.Decode(&v); err != nil {
			return nil, err
		}
		if _, twice := o.at[k.(string)]; !twice {
			o.keys = append(o.keys, k.(string))
		}
		o.at[k.(string)] = v
	}
	return o, nil
}

// UnmarshalJSON reads the members in order.
func (o *object) UnmarshalJSON(data []byte) error {
	p, err := parseObject(data)
	if err == nil {
		*o = *p
	}
	return err
}

// MarshalJSON writes the members in order.
func (o *object) MarshalJSON() ([]byte, error) {
	var b bytes.Buffer
	b.WriteByte('{')
	for i, k := range o.keys {
		if i > 0 {
			b.WriteByte(',')
		}
		name, err := json.Marshal(k)
		if err != nil {
			return nil, err
		}
		b.Write(name)
		b.WriteByte(':')
		b.Write(o.at[k])
	}
	b.WriteByte('}')
	return b.Bytes(), nil
}

// set gives a member a value; what is already there keeps its place.
func (o *object) set(key string, v any) {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // of numbers, names and members that were read
	}
	if _, ok := o.at[key]; !ok {
		o.keys = append(o.keys, key)
	}
	if o.at == nil {
		o.at = map[string]json.RawMessage{}
	}
	o.at[key] = b
}

func (o *object) drop(keys ...string) {
	for _, k := range keys {
		if _, ok := o.at[k]; ok {
			delete(o.at, k)
			o.keys = slices.DeleteFunc(o.keys, func(s string) bool { return s == k })
		}
	}
}

// child is a member that is an object itself; an empty one where there is none.
func (o *object) child(key string) *object {
	if c, err := parseObject(o.at[key]); err == nil {
		return c
	}
	return &object{at: map[string]json.RawMessage{}}
}

// list is a member that is an array.
func (o *object) list(key string) (out []json.RawMessage) {
	_ = json.Unmarshal(o.at[key], &out) // was read as a document before
	return out
}

// number is a member that is a whole number, or −1.
func (o *object) number(key string) int {
	n := -1
	if raw, ok := o.at[key]; !ok || json.Unmarshal(raw, &n) != nil {
		return -1
	}
	return n
}

// raw encodes what is known to be encodable.
func raw(v any) json.RawMessage {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return b
}
