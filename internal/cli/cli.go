// Package cli is the command line: it parses, calls a use case, and prints text or
// JSON. What the commands do is in package app, shared with the screens.
//
// Its tests promise: bad input is refused with its documented status and changes nothing; the stories in
// test/script tell the rest.
package cli

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"regexp"
	"slices"
	"strings"
	"syscall"

	"github.com/charmbracelet/x/term"
	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/send"
	"bastel/internal/tray"
)

// Exit statuses.
const (
	done   = 0
	no     = 1 // a conflict, a refusal, findings
	usage  = 2
	failed = 3 // the repository or the machine
)

// command is what all commands share.
type command struct {
	dir      string
	json     bool
	stdin    io.Reader
	stdout   io.Writer
	stderr   io.Writer
	heard    []string     // what remotes said, line by line, as it was shown
	warnings []string     // of what was done all the same
	log      *slog.Logger // what is done; nil: nobody wants to know
	began    bool         // arguments were in order: errors from here on are no usage errors
}

// Run carries out one command line and gives its exit status.
func Run(args []string, stdin io.Reader, stdout, stderr io.Writer) int {
	app.SpendMemoryOnce()
	// A limit on the size of files kills who meets it; ignored, as commands that are started inherit it, it is an error like any other,
	// and locks are taken away.
	signal.Ignore(syscall.SIGXFSZ)
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	// A second signal ends it at once, even where a step waits for a command that hangs and may not be left half done:
	// the next start finishes that, or finds it never begun.
	context.AfterFunc(ctx, stop)
	defer stop()
	c := &command{stdin: stdin, stdout: stdout, stderr: stderr, json: wantsJSON(args)}
	root := c.root()
	root.SetArgs(args)
	root.SetIn(stdin)
	root.SetOut(stdout)
	root.SetErr(stderr)
	cmd, err := root.ExecuteContextC(ctx)
	if err == nil {
		return done
	}
	status := c.status(err)
	if status == usage {
		err = wrongUsage{cmd, err}
	}
	c.fail(err)
	return status
}

// explain says an error without what was shown on the way already.
func (c *command) explain(err error) string {
	lines := strings.Split(app.Explain(err), "\n")
	heard := func(line string) bool {
		line = strings.TrimSpace(line)
		return slices.ContainsFunc(c.heard, func(told string) bool { return told == line || strings.HasSuffix(told, ": "+line) })
	}
	return strings.Join(append(lines[:1], slices.DeleteFunc(lines[1:], heard)...), "\n")
}

// openLog opens the file that is told what is done; an empty name: none.
func (c *command) openLog(name string) error {
	if name == "" {
		return nil
	}
	file, err := os.OpenFile(name, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
	if err != nil {
		c.began = true // the arguments are in order
		return fmt.Errorf("open the log: %w", err)
	}
	c.log = slog.New(slog.NewTextHandler(file, &slog.HandlerOptions{Level: slog.LevelDebug}))
	return nil
}

// errSilent ends a command with "no" after it printed its answer itself.
var errSilent = errors.New("the answer is no")

// errUsage marks arguments that only the command itself can judge.
var errUsage = errors.New("wrong usage")

// wrongUsage says in our words what is wrong with a command line, and where to read on.
type wrongUsage struct {
	cmd *cobra.Command
	err error
}

// wrongCount are the library's words for too many or too few arguments, the numbers aside.
var wrongCount = regexp.MustCompile(`^(accepts|requires) .*arg\(s\)|^unknown command .* for `)

func (w wrongUsage) Error() string {
	says := strings.TrimPrefix(w.err.Error(), errUsage.Error()+": ")
	if wrongCount.MatchString(says) {
		says = "these arguments do not fit " + strings.TrimSuffix(w.cmd.UseLine(), " [flags]")
	}
	says = strings.TrimSuffix(says, ".")
	if strings.Contains(says, "--help") {
		return says
	}
	return says + ".\nSee: " + w.cmd.CommandPath() + " --help"
}

func (w wrongUsage) Unwrap() error { return w.err }

func (c *command) status(err error) int {
	var refusal *app.Refusal
	var notSent *send.Refusal
	switch {
	case !c.began, errors.Is(err, errUsage), errors.Is(err, tray.ErrBadPick):
		return usage
	case errors.Is(err, errSilent), errors.As(err, &refusal), errors.As(err, &notSent):
		return no
	}
	return failed
}

// Commands are all there are, with their sentences, flags and examples.
func Commands() *cobra.Command { return (&command{}).root() }

func (c *command) root() *cobra.Command {
	root := &cobra.Command{
		Use:   "bastel [DIR]",
		Short: "Sort changes into commits, put a branch in order, and send it",
		Long: `Bastel turns loose changes and a messy branch into a clean series of commits,
and sends it to the shared remote. Without a command it opens the application.

Exit status: 0 done; 1 the answer is no; 2 wrong usage; 3 the repository or the
machine failed. With 1, 2 and 3 nothing was changed.`,
		Args:          cobra.MaximumNArgs(1),
		Version:       app.Version(),
		SilenceUsage:  true,
		SilenceErrors: true,
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) == 1 {
				if err := folder(cmd, args[0]); err != nil {
					return err
				}
				c.dir = args[0]
			}
			c.began = true
			return c.open(cmd.Context(), c.dir)
		},
	}
	root.SetVersionTemplate("bastel {{.Version}}\n")
	root.SuggestionsMinimumDistance = 2
	root.SetFlagErrorFunc(func(cmd *cobra.Command, err error) error {
		if word := cmd.Flags().Arg(0); cmd == root && word != "" {
			return cmp.Or(folder(root, word), err)
		}
		return err
	})
	root.CompletionOptions.HiddenDefaultCmd = true
	root.SetHelpCommand(helpOn(root))
	root.PersistentFlags().StringVarP(&c.dir, "dir", "C", ".", "the folder of the repository")
	var debugFile string
	root.PersistentFlags().StringVar(&debugFile, "debug", "", "write into a file what is done: processes with reason and time, keys, "+
		"operations; no contents")
	root.PersistentPreRunE = func(*cobra.Command, []string) error { return c.openLog(debugFile) }
	root.PersistentFlags().BoolVar(&c.json, "json", c.json, "answer with one JSON document")
	root.AddCommand(c.statusNow(), c.doctor())
	root.AddCommand(c.hunks(), c.trays(), c.stage(), c.unstage(), c.discard(), c.message(), c.commit(), c.amend(), c.loosen(),
		c.home(), c.sweep(), c.check(), c.plan(), c.revert(), c.forecast(), c.mend(),
		c.answers(), c.take(), c.apply(), c.stack(), c.allow(), c.overlap(),
		c.suggest(), c.draw(), c.fetch(), c.read(), c.remark(), c.remarks(), c.receive(), c.preflight(), c.send(), c.target(), c.compare(),
		c.branches(), c.story(), c.lost(), c.branch(), c.tag(), c.switchTo(), c.move(),
		c.patches(), c.request(), c.land(),
		c.journal(), c.undo(), c.redo(), c.rescue(), c.demo())
	for _, cmd := range root.Commands() {
		enforceAlternatives(cmd)
	}
	exemplify(root, "")
	c.complete(root)
	return root
}

// helpOn explains a command, or refuses one that there is not.
func helpOn(root *cobra.Command) *cobra.Command {
	return &cobra.Command{
		Use:   "help [COMMAND]",
		Short: "Explain a command",
		RunE: func(_ *cobra.Command, args []string) error {
			found, rest, err := root.Find(args)
			if err != nil || len(rest) > 0 {
				return fmt.Errorf("%w: there is no command %q; bastel --help lists them", errUsage, strings.Join(args, " "))
			}
			return found.Help()
		},
	}
}

// alternatives finds the groups of a usage line of which one at most may be given.
var alternatives = regexp.MustCompile(`\[([^\[\]]*\|[^\[\]]*)\]`)

// enforceAlternatives holds a command to the [A | B] of its usage line.
func enforceAlternatives(cmd *cobra.Command) {
	for _, group := range alternatives.FindAllStringSubmatch(cmd.Use, -1) {
		var flags []string
		argument := false
		for alternative := range strings.SplitSeq(group[1], "|") {
			first, _, _ := strings.Cut(strings.TrimSpace(alternative), " ")
			switch name, long := strings.CutPrefix(first, "--"); {
			case long:
				flags = append(flags, name)
			case strings.HasPrefix(first, "-"):
				flags = append(flags, cmd.Flags().ShorthandLookup(first[1:]).Name)
			default:
				argument = true
			}
		}
		if len(flags) > 1 {
			cmd.MarkFlagsMutuallyExclusive(flags...)
		}
		if argument {
			before := cmd.Args
			cmd.Args = func(cmd *cobra.Command, args []string) error {
				for _, flag := range flags {
					if len(args) > 0 && cmd.Flags().Changed(flag) {
						return fmt.Errorf("%w: --%s goes with no argument; see %s --help", errUsage, flag, cmd.CommandPath())
					}
				}
				return before(cmd, args)
			}
		}
	}
}

// run wraps a command that works on an open repository.
func (c *command) run(do func(ctx context.Context, a *app.App, args []string) error) func(*cobra.Command, []string) error {
	return func(cmd *cobra.Command, args []string) (err error) {
		c.began = true
		options := []repo.Option{repo.WithTerminal()}
		if c.log != nil {
			options = append(options, repo.WithLog(c.log))
		}
		a, note, err := app.Open(repo.Because(cmd.Context(), cmd.Name()), c.dir, options...)
		if err != nil {
			return err
		}
		defer a.Close()
		if note != "" {
			fmt.Fprintln(c.stderr, "bastel: "+note)
		}
		settings, err := a.Settings(cmd.Context())
		if err != nil {
			return err
		}
		for _, warning := range settings.Warnings {
			fmt.Fprintln(c.stderr, "bastel: "+safe.Line(warning))
		}
		return do(repo.Because(cmd.Context(), cmd.Name()), a, args)
	}
}

// withWarnings adds the warnings, if there are any, to a document.
func (c *command) withWarnings(document any) (any, error) {
	if len(c.warnings) == 0 {
		return document, nil
	}
	data, err := json.Marshal(document)
	if err != nil {
		return nil, err
	}
	var fields map[string]any
	if err := json.Unmarshal(data, &fields); err != nil {
		return nil, err
	}
	fields["warnings"] = c.warnings
	return fields, nil
}

// answer prints a document as JSON, or else what text prints.
func (c *command) answer(document any, text func(w io.Writer)) error {
	if c.json {
		document, err := c.withWarnings(document)
		if err != nil {
			return err
		}
		encoder := json.NewEncoder(c.stdout)
		encoder.SetEscapeHTML(false)
		encoder.SetIndent("", "  ")
		return encoder.Encode(document)
	}
	var b strings.Builder
	text(&b)
	return c.print(b.String())
}

// print writes text to standard output. On a terminal nothing of it drives the terminal, whatever a
// repository holds; a file or a pipe gets it byte for byte.
func (c *command) print(text string) error {
	if out, ok := c.stdout.(*os.File); ok && term.IsTerminal(out.Fd()) {
		text = safe.Text(text)
	}
	_, err := io.WriteString(c.stdout, text)
	return err
}
