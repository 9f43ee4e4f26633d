package repo

import (
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
)

// ID is the name of an object: the raw bytes of its hash, 20 (SHA-1) or 32
// (SHA-256) of them. Keeping them in a string makes ids comparable and lets a
// parsed tree share one buffer among all of its entries. The zero value names no
// object.
type ID struct{ raw string }

// ErrBadID is returned for text that is not a full object id.
var ErrBadID = errors.New("not a full object id")

// ParseID reads a full hexadecimal object id.
func ParseID(text string) (ID, error) {
	if len(text) != 40 && len(text) != 64 {
		return ID{}, fmt.Errorf("%w: %q", ErrBadID, text)
	}
	var digits [64]byte // on the stack: ids are read by the ten thousand
	n, err := hex.Decode(digits[:], digits[:copy(digits[:], text)])
	if err != nil {
		return ID{}, fmt.Errorf("%w: %q", ErrBadID, text)
	}
	id := ID{string(digits[:n])}
	if id.allZero() {
		return ID{}, nil
	}
	return id, nil
}

// String gives the full hexadecimal form, or nothing for the zero value.
func (id ID) String() string { return hex.EncodeToString([]byte(id.raw)) }

// Short gives the first seven digits, enough for people to tell ids apart.
func (id ID) Short() string {
	if len(id.raw) < 4 {
		return ""
	}
	return hex.EncodeToString([]byte(id.raw[:4]))[:7]
}

// Prefix is the beginning of an id as a number: enough to know whether it was met before where that only costs time if it is wrong.
func (id ID) Prefix() uint64 {
	if id.IsZero() {
		return 0
	}
	return binary.BigEndian.Uint64([]byte(id.raw[:8]))
}

// IsZero says whether the id names no object.
func (id ID) IsZero() bool { return id.raw == "" }

// MarshalText writes the hexadecimal form, for JSON and TOML.
func (id ID) MarshalText() ([]byte, error) { return []byte(id.String()), nil }

// UnmarshalText reads the hexadecimal form; empty text is the zero value.
func (id *ID) UnmarshalText(text []byte) error {
	if len(text) == 0 {
		*id = ID{}
		return nil
	}
	parsed, err := ParseID(string(text))
	if err != nil {
		return err
	}
	*id = parsed
	return nil
}

func (id ID) allZero() bool {
	for i := range len(id.raw) {
		if id.raw[i] != 0 {
			return false
		}
	}
	return true
}
