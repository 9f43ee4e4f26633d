package app

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"reflect"
	"slices"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"bastel/internal/mend"
	"bastel/internal/shape"
)

// answersFile holds the answers to conflicts that were given before, for all linked
// working trees.
const answersFile = "answers.toml"

// mostRemembered is how many answers are kept; the oldest go first.
const mostRemembered = 2000

// RememberedAnswer is an answer that comes back where its conflict does.
type RememberedAnswer struct {
	shape.FileAnswer
	When time.Time `toml:"when" json:"when"`
}

// Says tells the answer in a few words.
func (r RememberedAnswer) Says() string {
	switch {
	case r.Text != nil || r.Data != nil:
		return "text of your own"
	case len(r.Take) == 0:
		return "neither side"
	}
	return strings.Join(r.Take, ", ")
}

type answersKept struct {
	Format string             `toml:"format"`
	Answer []RememberedAnswer `toml:"answer"`
}

const answersFormat = "bastel-answers/1"

func (a *App) answersPath() (string, error) {
	dir, err := a.Repo.SharedStateDir()
	return filepath.Join(dir, answersFile), err
}

// Answers lists what is remembered, the oldest first.
func (a *App) Answers() ([]RememberedAnswer, error) {
	path, err := a.answersPath()
	if err != nil {
		return nil, err
	}
	data, err := readFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read the remembered answers: %w", err)
	}
	var kept answersKept
	if err := toml.Unmarshal(data, &kept); err != nil || kept.Format != answersFormat {
		return nil, fmt.Errorf("the remembered answers in %s cannot be read; move the file away to start afresh: %w", path,
			errors.Join(err, ErrUnreadable))
	}
	return kept.Answer, nil
}

// known are the remembered answers; a list that cannot be read is passed over, which opening tells.
func (a *App) known() ([]RememberedAnswer, error) {
	answers, err := a.Answers()
	if errors.Is(err, ErrUnreadable) {
		return nil, nil
	}
	return answers, err
}

// RememberedAnswers is what the replay is given.
func (a *App) RememberedAnswers() (map[mend.Key]mend.Resolution, error) {
	answers, err := a.known()
	if err != nil {
		return nil, err
	}
	memory := make(map[mend.Key]mend.Resolution, len(answers))
	for _, r := range answers {
		given, err := r.Resolution()
		if err != nil {
			return nil, fmt.Errorf("read the remembered answers: %w", err)
		}
		memory[r.Key] = given
	}
	return memory, nil
}

// RememberAnswers keeps the answers of a plan for the next ones.
func (a *App) RememberAnswers(given []mend.Resolution) error {
	given = slices.DeleteFunc(slices.Clone(given), func(g mend.Resolution) bool { return g.Answer.Unfinished })
	if len(given) == 0 {
		return nil
	}
	answers, err := a.known()
	if err != nil {
		return err
	}
	for _, g := range given {
		kept := shape.NewFileAnswer(g)
		if slices.ContainsFunc(answers, func(r RememberedAnswer) bool { return reflect.DeepEqual(r.FileAnswer, kept) }) {
			continue // known for longer
		}
		answers = slices.DeleteFunc(answers, func(r RememberedAnswer) bool { return r.Key == g.Key })
		answers = append(answers, RememberedAnswer{kept, time.Now().Truncate(time.Second)})
	}
	return a.writeAnswers(answers[max(0, len(answers)-mostRemembered):])
}

// UnlearnAnswers forgets what a step taught that is taken back: those of its answers that were not known before.
func (a *App) UnlearnAnswers(given []mend.Resolution, since time.Time) error {
	answers, err := a.known()
	if err != nil {
		return err
	}
	kept := slices.DeleteFunc(slices.Clone(answers), func(r RememberedAnswer) bool {
		return !r.When.Before(since.Truncate(time.Second)) && slices.ContainsFunc(given, func(g mend.Resolution) bool { return g.Key == r.Key })
	})
	if len(kept) == len(answers) {
		return nil
	}
	return a.writeAnswers(kept)
}

// ForgetAnswers forgets some of the remembered answers, or with no keys all of them. It
// gives how many there were.
func (a *App) ForgetAnswers(keys []mend.Key) (int, error) {
	answers, err := a.Answers()
	if err != nil {
		return 0, err
	}
	before := len(answers)
	for _, key := range keys {
		if !slices.ContainsFunc(answers, func(r RememberedAnswer) bool { return r.Key == key }) {
			return 0, Refuse("No answer is remembered under %s.", key)
		}
	}
	answers = slices.DeleteFunc(answers, func(r RememberedAnswer) bool { return len(keys) == 0 || slices.Contains(keys, r.Key) })
	return before - len(answers), a.writeAnswers(answers)
}

func (a *App) writeAnswers(answers []RememberedAnswer) error {
	path, err := a.answersPath()
	if err != nil {
		return err
	}
	if _, err := a.Answers(); errors.Is(err, ErrUnreadable) {
		if err := SetAside(path); err != nil {
			return err
		}
	}
	if len(answers) == 0 {
		return ReplaceFile(path, "")
	}
	text, err := toml.Marshal(answersKept{answersFormat, answers})
	if err != nil {
		return fmt.Errorf("write the remembered answers: %w", err)
	}
	return ReplaceFile(path, string(text))
}

// WaitingFile holds the answers to conflicts that wait in the working tree.
const WaitingFile = "waiting.toml"

// WaitingKept is how they are kept.
type WaitingKept struct {
	Answer []shape.FileAnswer `toml:"answer"`
}

// WaitingAnswers reads them. They are a draft: what cannot be read is asked again.
func (a *App) WaitingAnswers() (given []mend.Resolution) {
	var kept WaitingKept
	if err := toml.Unmarshal([]byte(a.ReadState(WaitingFile)), &kept); err != nil {
		return nil
	}
	for _, f := range kept.Answer {
		if g, err := f.Resolution(); err == nil {
			given = append(given, g)
		}
	}
	return given
}
