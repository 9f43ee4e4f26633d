package tray

import (
	"bytes"
	"encoding/gob"
	"encoding/json"
	"fmt"

	"bastel/internal/diff"
)

// keptRun is a run of a weave's lines that come and go with the same layers.
type keptRun struct {
	Born, Dies Layer
	Text       []byte // bytes: it need not be text
}

// encodeWeave writes a weave as JSON.
func encodeWeave(w weave) ([]byte, error) {
	var runs []keptRun
	for i, line := range w {
		last := len(runs) - 1
		// A line without an end would be one with the line after it.
		if i > 0 && runs[last].Born == line.Born && runs[last].Dies == line.Dies && bytes.HasSuffix(runs[last].Text, []byte("\n")) {
			runs[last].Text = append(runs[last].Text, line.Text...)
			continue
		}
		runs = append(runs, keptRun{line.Born, line.Dies, bytes.Clone(line.Text)})
	}
	data, err := json.Marshal(runs)
	if err != nil {
		return nil, fmt.Errorf("encode a text: %w", err)
	}
	return data, nil
}

// decodeWeave reads it again.
func decodeWeave(data []byte) (weave, error) {
	var runs []keptRun
	if err := json.Unmarshal(data, &runs); err != nil {
		return nil, fmt.Errorf("decode a text: %w", err)
	}
	w := weave{}
	for _, run := range runs {
		for _, line := range diff.Split(run.Text) {
			w = append(w, woven{Text: line, Born: run.Born, Dies: run.Dies})
		}
	}
	return w, nil
}

// decodeFirstWeave reads what the first version kept.
func decodeFirstWeave(data []byte) (weave, error) {
	w := weave{}
	if err := gob.NewDecoder(bytes.NewReader(data)).Decode(&w); err != nil {
		return nil, fmt.Errorf("decode a text: %w", err)
	}
	return w, nil
}
