package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/resolving"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/shape"
	"bastel/internal/tray"
	"bastel/internal/wording"
)

// meantUsage is what the flag --allow-markers does, wherever it is.
const meantUsage = "lines that look like conflict markers are intended"

// mendFlags are what the command mend can be told.
type mendFlags struct {
	answers, texts, resolved []string
	meant, finish, write     bool
	giveUp, skip, takeOver   bool
	message                  string
}

func (c *command) mend() *cobra.Command {
	var flags mendFlags
	cmd := &cobra.Command{
		Use:   "mend [PLAN] [--answer KEY=SIDES]... [--text KEY=FILE]...",
		Short: "List and answer the conflicts of a plan, or those that wait in the working tree",
		Long: `List the conflicts of a plan, or of the working tree where another tool left some.
Status 1 says that some are open. PLAN is a file, or - for standard input.

With answers it writes the plan that has them; in the working tree they go into
the files and the index as soon as a file is answered whole. SIDES are left,
right and base, each with lines as in left:1,3, put one after the other with +;
nothing stands for neither side. In a plan, left is the series so far and right
the commit; in the working tree, left is what you have and right what came.`,
		Args: cobra.MaximumNArgs(1),
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			ends := flags.giveUp || flags.skip || flags.takeOver
			if len(args) == 0 && ends {
				return c.endWaiting(ctx, a, flags)
			}
			if len(args) == 0 {
				return c.mendWaiting(ctx, a, flags)
			}
			if ends || flags.finish || len(flags.resolved) > 0 {
				return fmt.Errorf("%w: --finish, --skip, --give-up, --take-over and --resolved are for the working tree", errUsage)
			}
			return c.mendPlan(ctx, a, args[0], flags)
		}),
	}
	cmd.Flags().StringArrayVar(&flags.answers, "answer", nil, "an answer by sides and lines: `KEY=SIDES`")
	cmd.Flags().StringArrayVar(&flags.texts, "text", nil, "an answer by the text in a file: `KEY=FILE`")
	cmd.Flags().StringArrayVar(&flags.resolved, "resolved", nil, "a `path` to mark as resolved, with its working file as it is")
	cmd.Flags().BoolVar(&flags.meant, "allow-markers", false, meantUsage)
	cmd.Flags().BoolVar(&flags.write, "write", false, "write the files that are fully answered, by remembered answers too, and mark them "+
		"as resolved in the index")
	cmd.Flags().BoolVar(&flags.finish, "finish", false, "make the commit of what waits and is resolved, and go on with the rest")
	cmd.Flags().BoolVar(&flags.skip, "skip", false, "leave the commit that waits out, and go on with the rest")
	cmd.Flags().BoolVar(&flags.giveUp, "give-up", false, "end what waits: all is as before it began, with loose changes carried")
	cmd.Flags().BoolVar(&flags.takeOver, "take-over", false, "make a plan of what is done of a rebase and what is left, and end the rebase")
	cmd.Flags().StringVarP(&flags.message, "message", "m", "", "its message; default: the draft, with what had conflicted")
	return cmd
}

func (c *command) mendPlan(ctx context.Context, a *app.App, name string, flags mendFlags) error {
	data, err := c.readFile(ctx, name)
	if err != nil {
		return err
	}
	plan, err := planning.Of(a).ReadPlan(ctx, data)
	if err != nil {
		return err
	}
	forecast, err := planning.Of(a).Forecast(ctx, plan, nil)
	if err != nil {
		return err
	}
	found, err := resolving.Of(a).Mending(ctx, plan, forecast)
	if err != nil {
		return err
	}
	if len(flags.answers)+len(flags.texts) == 0 {
		return c.listConflicts(found.Steps)
	}
	given, err := c.given(ctx, flags, found.Steps)
	if err != nil {
		return err
	}
	return c.writePlan(ctx, a, plan.Answer(given...))
}

// writePlan prints a plan's file.
func (c *command) writePlan(ctx context.Context, a *app.App, plan shape.Plan) error {
	messageOf, err := planning.Of(a).Messages(ctx, append(append([]repo.ID{}, plan.Sources...), plan.Extra...))
	if err != nil {
		return err
	}
	file := plan.File(messageOf)
	text, err := file.Encode()
	if err != nil {
		return err
	}
	return c.answer(file, func(w io.Writer) { w.Write(text) })
}

func (c *command) mendWaiting(ctx context.Context, a *app.App, flags mendFlags) error {
	if len(flags.resolved) > 0 {
		paths, err := c.paths(ctx, a, flags.resolved)
		if err != nil {
			return err
		}
		if err := resolving.Of(a).MarkResolved(ctx, paths, flags.meant); err != nil {
			return err
		}
	}
	w, err := resolving.Of(a).PendingMerge(ctx)
	if err != nil {
		return err
	}
	var paths []string
	if w != nil && (flags.write || len(flags.answers)+len(flags.texts) > 0) {
		given, err := c.given(ctx, flags, []resolving.ConflictedStep{w.ConflictedStep})
		if err != nil {
			return err
		}
		w.Answer(given...)
		if err := resolving.Of(a).KeepAnswers(w.Answers); err != nil {
			return err
		}
		if w, err = resolving.Of(a).PendingMerge(ctx); err != nil {
			return err
		}
		if paths, err = resolving.Of(a).WriteAnswers(ctx, w); err != nil && !errors.Is(err, app.ErrNotAnswered) {
			return err
		}
		if w, err = resolving.Of(a).PendingMerge(ctx); err != nil {
			return err
		}
	}
	for _, path := range append(flags.resolved, paths...) {
		fmt.Fprintf(c.stderr, "bastel: resolved %s\n", safe.Line(path))
	}
	if flags.finish {
		return c.finishMerge(ctx, a, flags.message, flags.meant)
	}
	if w == nil {
		return c.listConflicts(nil)
	}
	switch {
	case w.Open() == 0 && w.WritesSomething():
		fmt.Fprintln(c.stderr, "bastel: everything is answered; --write puts it into the files")
	case w.Open() == 0 && w.Finish != "":
		fmt.Fprintf(c.stderr, "bastel: everything is resolved; finish it with %s\n", w.Finishing())
	}
	return c.listConflicts([]resolving.ConflictedStep{w.ConflictedStep})
}

func (c *command) finishMerge(ctx context.Context, a *app.App, message string, meant bool) error {
	from := "message"
	if message == "" {
		draft, err := planning.Of(a).MergeDraft(ctx)
		if err != nil {
			return err
		}
		message, from = draft, "merge"
	}
	if op, _ := a.Repo.Unfinished(); op.Name != "rebase" { // which has the messages of its commits
		var err error
		if message, err = prepared(ctx, a, message, from); err != nil {
			return err
		}
	}
	made, said, err := planning.Of(a).FinishWaiting(ctx, message, meant)
	if err != nil {
		return err
	}
	c.warn(made.Warning)
	document := map[string]any{"said": said}
	if len(made.Commits) > 0 {
		document["commit"] = made.Commits[0]
	}
	return c.answer(document, func(w io.Writer) { fmt.Fprintln(w, safe.Text(said)) })
}

// endWaiting gives up, skips or takes over what waits.
func (c *command) endWaiting(ctx context.Context, a *app.App, flags mendFlags) (err error) {
	said := ""
	switch {
	case flags.giveUp:
		said, err = a.GiveUp(ctx)
	case flags.skip:
		said, err = planning.Of(a).Skip(ctx)
	default:
		var taken planning.TakenOver
		taken, err = planning.Of(a).TakeOver(ctx)
		said = "The rebase is taken over: the plan of " + taken.Plan.Branch + " has what is done of it, and what is left."
	}
	if err != nil {
		return err
	}
	return c.answer(map[string]any{"said": said}, func(w io.Writer) { fmt.Fprintln(w, safe.Text(said)) })
}

// given reads the answers for what is open; a key stands for every place of that content in the first entry that
// has it.
func (c *command) given(ctx context.Context, f mendFlags, steps []resolving.ConflictedStep) (given []mend.Resolution, err error) {
	for _, words := range append(append([]string{}, f.answers...), f.texts...) {
		key, value, ok := strings.Cut(words, "=")
		if !ok {
			return nil, fmt.Errorf("%w: %q is not KEY=…", errUsage, words)
		}
		var answer mend.Answer
		if slices.Contains(f.answers, words) {
			parts := strings.FieldsFunc(value, func(r rune) bool { return r == '+' })
			if answer, err = shape.ReadTake(parts); err != nil {
				return nil, fmt.Errorf("%w: %w", errUsage, err)
			}
		} else if answer.Own, err = c.readFile(ctx, value); err != nil {
			return nil, err
		}
		found := false
		for _, m := range steps {
			if found { // what comes later is answered by it only where it is of the same file, as the plan says
				break
			}
			for _, file := range m.Files {
				for _, q := range append(file.Questions(), file.WholeQuestion()) {
					if string(q.Key) != key {
						continue
					}
					found = true
					if answer.Own != nil && !f.meant {
						if lines := file.Markers(answer.Own, file.MarkerSize); len(lines) > 0 {
							return nil, &app.Refusal{Reason: fmt.Sprintf("Line %d of %s looks like a conflict marker. Resolve it first, or say --allow-markers.",
								lines[0], value), Err: app.ErrMarkers}
						}
					}
					given = append(given, q.Give(answer))
				}
			}
		}
		if !found {
			return nil, &app.Refusal{Reason: fmt.Sprintf("No conflict here has the key %q.", key)}
		}
	}
	return given, nil
}

type questionDocument struct {
	Key    mend.Key `json:"key"`
	Line   int      `json:"line,omitempty"` // of the region in the left text, counted from 1
	Base   []string `json:"base,omitempty"`
	Left   []string `json:"left,omitempty"`
	Right  []string `json:"right,omitempty"`
	Origin string   `json:"origin"` // open, given, elsewhere, remembered
	Take   []string `json:"take,omitempty"`
}

type conflictDocument struct {
	Path      string             `json:"path"`
	From      string             `json:"from,omitempty"`
	Other     string             `json:"other,omitempty"`
	Kind      merge.Kind         `json:"kind"`
	Whole     mend.Key           `json:"whole"` // the key of the path as a whole
	Questions []questionDocument `json:"questions"`
}

type matterDocument struct {
	Title     string             `json:"title"`
	Open      int                `json:"open"`
	Certain   bool               `json:"certain"` // no entry before it is open
	Conflicts []conflictDocument `json:"conflicts"`
}

var originNames = map[mend.Origin]string{mend.Open: "open", mend.Here: "given", mend.Elsewhere: "elsewhere", mend.Remembered: "remembered",
	mend.ByHand: "by hand"}

// listConflicts prints what met; the answer is no while something is open.
func (c *command) listConflicts(steps []resolving.ConflictedStep) error {
	documents, open := []matterDocument{}, 0
	for _, m := range steps {
		d := matterDocument{Title: m.Title, Open: m.Open(), Certain: !m.Uncertain, Conflicts: []conflictDocument{}}
		open += d.Open
		for _, f := range m.Files {
			conflict := conflictDocument{Path: f.Path, From: f.From, Other: f.Other, Kind: f.Kind, Whole: f.WholeQuestion().Key,
				Questions: []questionDocument{}}
			for _, q := range f.Questions() {
				conflict.Questions = append(conflict.Questions, questionOf(q))
			}
			d.Conflicts = append(d.Conflicts, conflict)
		}
		documents = append(documents, d)
	}
	var no error
	if open > 0 {
		no = errSilent
	}
	return errors.Join(c.answer(map[string]any{"matters": documents, "open": open}, func(w io.Writer) { printMatters(w, documents) }), no)
}

func questionOf(q mend.Question) questionDocument {
	d := questionDocument{Key: q.Key, Origin: originNames[q.Origin]}
	if q.Origin != mend.Open && q.Answer.Own == nil {
		d.Take = shape.WriteTake(q.Answer)
	}
	if q.Open() {
		d.Origin = originNames[mend.Open]
	}
	if r := q.Region; r != nil {
		d.Line = r.LeftSpan.Start + 1
		d.Base, d.Left, d.Right = texts(r.Base), texts(r.Left), texts(r.Right)
	}
	return d
}

func texts(lines [][]byte) []string {
	list := make([]string, len(lines))
	for i, line := range lines {
		list[i] = strings.TrimSuffix(string(line), "\n")
	}
	return list
}

func printMatters(w io.Writer, documents []matterDocument) {
	if len(documents) == 0 {
		fmt.Fprintln(w, "No conflict waits.")
	}
	for _, d := range documents {
		uncertain := ""
		if !d.Certain {
			uncertain = ", not yet certain"
		}
		fmt.Fprintf(w, "%s: %d open%s\n", safe.Line(d.Title), d.Open, uncertain)
		for _, conflict := range d.Conflicts {
			fmt.Fprintf(w, "  %s  %s\n", safe.Line(conflict.Path), conflict.Kind)
			for _, q := range conflict.Questions {
				fmt.Fprintf(w, "    %s  %s", q.Key, q.Origin)
				if q.Line > 0 {
					fmt.Fprintf(w, "  from line %d", q.Line)
				}
				fmt.Fprintln(w)
				for _, side := range []struct {
					name  string
					lines []string
				}{{"left", q.Left}, {"right", q.Right}, {"base", q.Base}} {
					for _, line := range side.lines {
						fmt.Fprintf(w, "      %-5s  %s\n", side.name, safe.Line(line))
					}
				}
			}
		}
	}
}

func (c *command) take() *cobra.Command {
	var stop bool
	var how taken
	var cmd *cobra.Command
	cmd = &cobra.Command{
		Use:   "take POINT... [-- PATH...]",
		Short: "Bring what commits from elsewhere change, or files as they are there, into the working files, as loose changes",
		Long: `Bring what commits from elsewhere change into the working files, as loose
changes, to be reviewed and sorted. If there are conflicts nothing is changed:
mend lists it and takes the answers. As further commits: plan --take.
With paths the files of one point come as they are there; PATH:HUNK-ID is one
hunk of what that commit changes, as bastel hunks --of COMMIT lists them, and
--lines 3,5-7 takes only these lines of it.`,
		Example: "  bastel take 4f2c1aa\n  bastel take main..topic\n" +
			"  bastel take origin/main -- config docs/guide.md\n  bastel take 4f2c1aa -- docs/guide.md:1f3a",
		RunE: c.run(func(ctx context.Context, a *app.App, args []string) error {
			if stop {
				return resolving.Of(a).StopTaking()
			}
			if len(args) == 0 {
				return fmt.Errorf("%w: name the commits", errUsage)
			}
			if cmd.ArgsLenAtDash() >= 0 {
				return c.takePaths(ctx, a, args[:cmd.ArgsLenAtDash()], args[cmd.ArgsLenAtDash():], how)
			}
			ids, err := resolving.Of(a).NamedCommits(ctx, args)
			if err != nil {
				return err
			}
			return c.takeCommits(ctx, a, ids, how)
		}),
	}
	cmd.Flags().BoolVar(&stop, "stop", false, "forget what is being taken")
	cmd.Flags().StringVar(&how.lines, "lines", "", linesUsage)
	cmd.Flags().StringVar(&how.tray, "tray", "", "into a tray, A to Z, instead of only loose")
	cmd.Flags().BoolVar(&how.dry, "dry-run", false, "only list the hunks that would come")
	cmd.Flags().BoolVar(&how.replace, "replace", false, "also files with changes that are in no commit, ignored ones too")
	return cmd
}

// taken says how something is taken.
type taken struct {
	tray, lines  string
	dry, replace bool
}

func (c *command) takeCommits(ctx context.Context, a *app.App, ids []repo.ID, how taken) error {
	into, err := layerOf(how.tray, tray.Loose)
	if err != nil {
		return err
	}
	if how.dry {
		files, waiting, err := resolving.Of(a).Preview(ctx, ids)
		if err != nil {
			return err
		}
		hunks := documentsOf(files)
		return c.answer(map[string]any{"hunks": hunks, "open": waiting.Open()}, func(w io.Writer) {
			printHunks(w, hunks)
			if n := waiting.Open(); n > 0 {
				fmt.Fprintln(w, wording.Count(n, "place"), "to answer first")
			}
		})
	}
	paths, waiting, err := resolving.Of(a).Take(ctx, ids, into, how.replace)
	if err != nil {
		return err
	}
	if waiting != nil {
		fmt.Fprintln(c.stderr, "bastel: there are conflicts with what you have, and nothing was changed yet; answer it with bastel mend, or "+
			"stop with bastel take --stop")
		return c.listConflicts([]resolving.ConflictedStep{waiting.ConflictedStep})
	}
	return c.changedPaths(paths)
}

func (c *command) changedPaths(paths []string) error {
	return c.answer(map[string]any{"changed": paths}, func(w io.Writer) {
		for _, path := range paths {
			fmt.Fprintf(w, "changed %s\n", safe.Line(path))
		}
	})
}

// takePaths takes files of a point as they are there, or hunks of what a commit changes: not both at once, since each is one
// step.
func (c *command) takePaths(ctx context.Context, a *app.App, points, paths []string, how taken) error {
	if len(points) != 1 || len(paths) == 0 {
		return fmt.Errorf("%w: one point, and then the paths", errUsage)
	}
	ids, err := resolving.Of(a).NamedCommits(ctx, points)
	if err != nil {
		return err
	}
	changes, err := a.CommitChanges(ctx, ids[0])
	if err != nil {
		return err
	}
	if paths, err = c.beforeColons(ctx, a, paths); err != nil {
		return err
	}
	var selected []tray.Selection
	for _, path := range paths {
		for _, f := range changes {
			word, ok := strings.CutPrefix(path, f.Path+":")
			if !ok {
				continue
			}
			selection, err := tray.ParseSelections([]string{word}, how.lines)
			if err != nil || how.lines != "" && len(paths) > 1 {
				return fmt.Errorf("%w: %w", errUsage, cmp.Or(err, tray.ErrBadPick))
			}
			selection[0].Path = "" // it is a hunk's id, whatever files are called
			selected = append(selected, selection[0])
		}
	}
	switch len(selected) {
	case 0:
		if how.tray != "" || how.dry || how.lines != "" {
			return fmt.Errorf("%w: --tray and --dry-run go with commits and hunks, --lines with a hunk", errUsage)
		}
		if paths, err = c.paths(ctx, a, paths); err != nil {
			return err
		}
		taken, err := resolving.Of(a).FilesAsThere(ctx, points[0], paths, how.replace)
		if err != nil {
			return err
		}
		return c.changedPaths(taken)
	case len(paths):
		part, err := resolving.Of(a).PartOf(ctx, repo.ID{}, ids[0], selected)
		if err != nil {
			return err
		}
		return c.takeCommits(ctx, a, []repo.ID{part}, how)
	}
	return fmt.Errorf("%w: files, or hunks, and not both at once", errUsage)
}

func (c *command) answers() *cobra.Command {
	var forget []string
	var all bool
	cmd := &cobra.Command{
		Use:   "answers [--forget KEY]... [--forget-all]",
		Short: "List the answers to conflicts that come back automatically, or forget some",
		Args:  cobra.NoArgs,
		RunE: c.run(func(_ context.Context, a *app.App, _ []string) error {
			if all || len(forget) > 0 {
				var keys []mend.Key
				for _, key := range forget {
					keys = append(keys, mend.Key(key))
				}
				n, err := a.ForgetAnswers(keys)
				if err != nil {
					return err
				}
				return c.answer(map[string]any{"forgotten": n}, func(w io.Writer) { fmt.Fprintf(w, "forgot %s\n", wording.Count(n, "answer")) })
			}
			answers, err := a.Answers()
			if err != nil {
				return err
			}
			return c.answer(map[string]any{"answers": append([]app.RememberedAnswer{}, answers...)}, func(w io.Writer) {
				for _, r := range answers {
					fmt.Fprintf(w, "%s  %s  %s  %s\n", r.Key, r.When.Format("2006-01-02"), safe.Line(r.Path), safe.Line(r.Says()))
				}
			})
		}),
	}
	cmd.Flags().StringArrayVar(&forget, "forget", nil, "the `key` of an answer")
	cmd.Flags().BoolVar(&all, "forget-all", false, "all of them")
	return cmd
}
