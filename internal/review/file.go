package review

import (
	"errors"
	"fmt"
	"time"

	"github.com/pelletier/go-toml/v2"
)

// format names the layout of the file that a record is kept in.
const format = "bastel-review/1"

// ErrUnreadable is a file that holds no record.
var ErrUnreadable = errors.New("it is no record of what was read")

type kept struct {
	Format   string               `toml:"format"`
	Remarks  []Remark             `toml:"remark"`
	Verdicts []Verdict            `toml:"verdict"`
	Read     map[string]time.Time `toml:"read"`
}

// Parse reads what Encode wrote. Errors: ErrUnreadable.
func Parse(data []byte) (Record, error) {
	var k kept
	if err := toml.Unmarshal(data, &k); err != nil {
		return Record{}, fmt.Errorf("%w: %w", ErrUnreadable, err)
	}
	if k.Format != format {
		return Record{}, fmt.Errorf("%w: its format is %q", ErrUnreadable, k.Format)
	}
	return Record{Read: k.Read, Remarks: k.Remarks, Verdicts: k.Verdicts}, nil
}

// Encode writes the record as TOML.
func (b Record) Encode() ([]byte, error) {
	return toml.Marshal(kept{format, b.Remarks, b.Verdicts, b.Read})
}
