package review

import (
	"encoding/json"
	"fmt"
	"io"
	"time"

	"bastel/internal/repo"
)

// A review service answers GET ADDRESS/api/review?branch=NAME with one JSON document.

// ServicePath is where a service answers.
const ServicePath = "/api/review"

// Answer is what a service knows of a branch.
type Answer struct {
	Comments []Comment `json:"comments"`
	Verdicts []Verdict `json:"verdicts"`
}

// Comment is a reviewer's remark on a line, or with no path on a commit.
type Comment struct {
	ID     string    `json:"id"`
	Commit repo.ID   `json:"commit"`
	Path   string    `json:"path,omitempty"`
	Sign   string    `json:"sign,omitempty"` // of the line: blank, + or -
	Line   int       `json:"line,omitempty"` // counted from 1; of a removed line in the old text
	By     string    `json:"by"`
	Text   string    `json:"text"`
	When   time.Time `json:"when"`
}

// mostRead bounds an answer, in bytes.
const mostRead = 8 << 20

// ReadAnswer reads a service's answer.
func ReadAnswer(r io.Reader) (Answer, error) {
	var a Answer
	if err := json.NewDecoder(io.LimitReader(r, mostRead)).Decode(&a); err != nil {
		return a, fmt.Errorf("read the answer of the review service: %w", err)
	}
	for _, c := range a.Comments {
		if c.ID == "" || c.Text == "" {
			return a, fmt.Errorf("read the answer of the review service: a comment without an id or a text")
		}
	}
	return a, nil
}
