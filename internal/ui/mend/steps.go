package mend

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path"
	"slices"
	"strings"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/resolving"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/ui/kit"
	"bastel/internal/wording"
)

func spotsOf(steps []resolving.ConflictedStep) (spots []spot) {
	for i, step := range steps {
		for j, file := range step.Files {
			for k := range file.Questions() {
				spots = append(spots, spot{i, j, k})
			}
		}
	}
	return spots
}

func fileName(p string) string { return path.Base(p) }

// pattern stands for files of one kind: those of the same name, or ending.
func pattern(p string) string {
	if ext := path.Ext(p); ext != "" {
		return "*" + ext
	}
	return fileName(p)
}

func (m *Model) canApply() bool {
	if m.waiting != nil {
		return true
	}
	_, open := m.open()
	return open == 0 && m.forecast != nil && m.forecast.Conflicts() == 0 && m.planner.Plan().Changes()
}

// apply applies the plan; or writes what is answered into the working files, and makes
// the merge's commit in the end.
func (m *Model) apply() tea.Cmd {
	if m.waiting == nil {
		return m.planner.Step(kit.ApplyPlan)
	}
	w := m.waiting
	if len(m.spots) == 0 && !w.WritesSomething() {
		if !w.Finishable() {
			return kit.Say("Everything is resolved. Finish it with " + w.Finish + ".")
		}
		return m.finish()
	}
	now, kept := w.Clone(), m.keeper.Written()
	return kit.Start(kit.Work[kit.Got]{
		Title: "Writing the answers",
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			kept()
			paths, err := m.resolving.WriteAnswers(ctx, now)
			if err != nil {
				return kit.Got{}, err
			}
			got := kit.Got{Note: fmt.Sprintf("Resolved %s. u undoes it.", wording.Count(len(paths), "file"))}
			if now.Open() == 0 && now.Finishable() {
				got.Msg = kit.ForScreen{Screen: Name, Msg: settled{now.Operation}}
			}
			return got, nil
		},
	})
}

// settled says that all conflicts of what waits are written: it is finished.
type settled struct{ operation string }

func (m *Model) stopTaking() tea.Cmd {
	kept := m.keeper.Written()
	return kit.Start(kit.Work[string]{Title: "Stopping", Do: func(context.Context, func(string)) (string, error) {
		kept()
		return "Stopped taking those commits. Your files are as they were.", m.resolving.StopTaking()
	}})
}

// finish asks for the message of a commit that waits, and makes it; a rebase goes on at once, with the messages that its commits have.
func (m *Model) finish() tea.Cmd { return m.finishAs(m.waiting.Operation) }

func (m *Model) finishAs(operation string) tea.Cmd {
	if operation == "rebase" {
		return m.finishWith("Going on with the rebase", "", false)
	}
	return kit.Find(m.ctx, Name, func(ctx context.Context) (drafted, error) {
		text, err := planning.Of(m.app).MergeDraft(ctx)
		if err != nil {
			return drafted{}, err
		}
		writing, err := m.app.Writing(ctx)
		return drafted{operation, text, writing}, err
	})
}

// drafted is the message to begin with.
type drafted struct {
	operation string
	text      string
	writing   app.Writing
}

func (m *Model) writeMerge(d drafted) tea.Cmd {
	return kit.Show(kit.Edit{Title: "Message of the " + d.operation, Text: d.text, Message: &d.writing, Suffix: "COMMIT_EDITMSG",
		From: []string{"merge"},
		Done: func(text string) tea.Cmd {
			return m.finishWith("Making the "+d.operation, text, false)
		}})
}

func (m *Model) finishWith(title, text string, meant bool) tea.Cmd {
	return kit.Start(kit.Work[kit.Got]{Title: title, Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
		made, said, err := planning.Of(m.app).FinishWaiting(ctx, text, meant)
		if errors.Is(err, app.ErrMarkers) {
			return kit.Got{Msg: kit.AskMeant(app.QuestionOf(err), m.finishWith(title, text, true))}, nil
		}
		return kit.Got{Note: strings.TrimSpace(said + " " + made.Warning)}, err
	}})
}

// otherEnds offers what can be done with what waits besides finishing it.
func (m *Model) otherEnds() tea.Cmd {
	operation := m.waiting.Operation
	do := func(title string, what func(ctx context.Context) (string, error)) func() tea.Cmd {
		return func() tea.Cmd {
			return kit.Start(kit.Work[string]{Title: title, Do: func(ctx context.Context, _ func(string)) (string, error) { return what(ctx) }})
		}
	}
	choose := kit.Choose{Title: "What becomes of the " + operation + " that waits?"}
	if operation != "merge" {
		choose.Options = append(choose.Options, kit.Option{Key: "s", Label: "skip this step",
			Detail: "The commit that waits is left out, and the rest goes on.", Do: do("Skipping", planning.Of(m.app).Skip)})
	}
	if operation == "rebase" {
		choose.Options = append(choose.Options, kit.Option{Key: "t", Label: "take it over",
			Detail: "What is done and what is left become a plan in Shape, with the answers so far. The rebase itself ends.",
			Do: do("Taking over", func(ctx context.Context) (string, error) {
				taken, err := planning.Of(m.app).TakeOver(ctx)
				return "Taken over: the plan of " + safe.Line(taken.Plan.Branch) + " in Shape has what is done, and what is left. u undoes it.", err
			})})
	}
	choose.Options = append(choose.Options, kit.Option{Key: "g", Label: "give it up",
		Detail: "All is as before it began; loose work is carried, and u brings it back as it is now.", Do: do("Giving up", m.app.GiveUp)})
	return kit.Show(choose)
}

// declare takes the file at the cursor as it lies there for settled.
func (m *Model) declare() tea.Cmd { return m.declareAs(m.file().Path, false) }

func (m *Model) declareAs(file string, meant bool) tea.Cmd {
	return kit.Start(kit.Work[string]{Title: "Settling " + safe.Line(file), Do: func(ctx context.Context, _ func(string)) (string, error) {
		err := m.resolving.MarkResolved(ctx, []string{file}, meant)
		return safe.Line(file) + " is marked as resolved, as it is. u undoes it.", err
	}})
}

// writable says whether the file at the cursor is a text to be opened in an editor.
func (m *Model) writable() bool {
	f := m.file()
	return f.Chunks != nil || f.Kind == merge.ModifyDelete
}

// edit opens the file in the user's editor, in a scratch folder with what lies around it.
func (m *Model) edit() tea.Cmd {
	f := m.file()
	q := f.WholeQuestion()
	sides := m.sides()
	labels := mend.Labels{Left: m.story(mend.Left).Name, Base: "base", Right: m.story(mend.Right).Name}
	text := f.Marked(labels, f.MarkerSize)
	if f.Chunks == nil {
		for _, side := range sides {
			if t := m.texts[side]; t != nil && m.textsOf == m.spot() {
				text = t
			}
		}
	}
	tree, objects := m.around(), m.conflicted().Objects
	return kit.Start(kit.Work[kit.Got]{
		Title: "Writing the files out",
		Do: func(ctx context.Context, _ func(string)) (kit.Got, error) {
			dir, err := os.MkdirTemp("", "bastel-mend-")
			if err != nil {
				return kit.Got{}, err
			}
			place, file, err := planning.Of(m.app).LayOutConflict(ctx, objects, tree, dir, f.Path, text)
			return kit.Got{Msg: kit.Launch{File: file, Done: func() tea.Msg {
				defer os.RemoveAll(place.Dir)
				data, err := os.ReadFile(file)
				if err != nil {
					return kit.Notice{Text: "The file could not be read back: " + err.Error(), Trouble: true}
				}
				if slices.Equal(data, text) {
					return kit.Notice{Text: "Nothing was changed there."}
				}
				return kit.ForScreen{Screen: Name, Msg: edited{q, data}}
			}}}, err
		},
	})
}

// edited is a file as it came back from the editor.
type edited struct {
	question mend.Question
	own      []byte
}

// around is the content that the file at the cursor lies in.
func (m *Model) around() repo.ID {
	if m.waiting != nil || m.forecast == nil || m.conflicted().Step >= len(m.forecast.Steps) {
		return repo.ID{}
	}
	return m.forecast.Steps[m.conflicted().Step].Tree
}

// joinable are the entries that conflict at the same paths as the one at the cursor,
// which come first; nil if there is only that one.
func (m *Model) joinable() []int {
	if m.waiting != nil || m.at < 0 || m.forecast == nil {
		return nil
	}
	here := m.conflicted().Step
	if here >= len(m.forecast.Steps) || len(m.forecast.Steps) != len(m.planner.Plan().Next) {
		return nil
	}
	file := m.file().Path
	var places []int
	for at, step := range m.forecast.Steps {
		if at >= here && !step.Merge && slices.ContainsFunc(step.PathConflicts, func(met replay.PathConflict) bool {
			return met.Path == file && at == here || met.Path == file && met.Open() > 0
		}) {
			places = append(places, at)
		}
	}
	if len(places) < 2 {
		return nil
	}
	return places
}

// joining are the places of entries that shall be one.
type joining []int

func (m *Model) joinFirst() tea.Cmd {
	places := m.joinable()
	question := fmt.Sprintf("%s change the same lines of %s. Joined into one first, the question is asked once and not %d times. y joins "+
		"them in the plan.", wording.Count(len(places), "entry"), safe.Line(m.file().Path), len(places))
	return kit.Show(kit.Ask{Question: question, Key: "y", Yes: kit.Show(kit.ForScreen{Screen: Name, Msg: joining(places)})})
}

// answers are those that come back by themselves, the oldest first.
type answers []app.RememberedAnswer

func (m *Model) remembered() tea.Cmd {
	return kit.Find(m.ctx, Name, func(context.Context) (answers, error) {
		found, err := m.app.Answers()
		return answers(found), err
	})
}

// offerAnswers lists what is remembered, to forget some of it.
func (m *Model) offerAnswers(answers answers) tea.Cmd {
	if len(answers) == 0 {
		return kit.Say("No answer is remembered yet. The answers of a plan are remembered when it is applied.")
	}
	forget := func(title string, keys ...mend.Key) func() tea.Cmd {
		return func() tea.Cmd {
			return kit.Start(kit.Work[string]{Title: "Forgetting", Do: func(context.Context, func(string)) (string, error) {
				n, err := m.app.ForgetAnswers(keys)
				return "Forgot " + wording.Count(n, title) + ".", err
			}})
		}
	}
	choose := kit.Choose{Title: "Answers that come back automatically; enter forgets one",
		Options: []kit.Option{{Label: "forget all of them", Detail: wording.Count(len(answers), "answer"), Do: forget("answer")}}}
	for _, r := range slices.Backward(answers) {
		choose.Options = append(choose.Options, kit.Option{Key: string(r.Key[:8]), Label: safe.Line(r.Path),
			Detail: safe.Line(r.Says()) + ", " + r.When.Format("2 Jan 2006"), Do: forget("answer", r.Key)})
	}
	return kit.Show(choose)
}
