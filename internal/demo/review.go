package demo

import (
	"context"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"bastel/internal/diff"
	"bastel/internal/repo"
	"bastel/internal/review"
	"bastel/internal/tray"
)

//go:embed desk.html
var deskPages string

// deskNote is the shared remote's post-receive hook: it names the page of the review desk,
// as long as one is open.
const deskNote = `#!/bin/sh
test -f review-address || exit 0
while read old new ref; do
	case "$new" in *[!0]*) ;; *) continue ;; esac
	case "$ref" in
	refs/heads/main) ;;
	refs/heads/*) echo "Review it: $(cat review-address)/series/${ref#refs/heads/}" ;;
	esac
done
`

// ReviewService is a small stand-in of a review service for the demo, on loopback HTTP: it lists the
// series of the shared remote with their commits, and takes comments and verdicts.
type ReviewService struct {
	Address string // of its pages
	place   Place
	shared  *repo.Repo
	server  *http.Server
	pages   *template.Template

	mu       sync.Mutex
	comments []deskComment
	verdicts []review.Verdict
}

// deskComment is a comment with the branch that it was made on.
type deskComment struct {
	Branch string `json:"branch"`
	review.Comment
}

// kept is what the desk writes down.
type kept struct {
	Comments []deskComment    `json:"comments"`
	Verdicts []review.Verdict `json:"verdicts"`
}

// OpenReviewService opens the review desk of a demo, until the context ends or Close. The user's
// clone and the shared remote are told its address.
//
// Ready, if given, is called once the user's clone names the desk, before anybody else hears of it.
func OpenReviewService(ctx context.Context, p Place, address string, ready func(ctx context.Context,
	work string) error) (*ReviewService, error) {
	d := &ReviewService{place: p}
	var err error
	if d.pages, err = template.New("desk").Parse(deskPages); err != nil {
		return nil, fmt.Errorf("open the review desk: %w", err)
	}
	if err := d.load(); err != nil {
		return nil, fmt.Errorf("open the review desk: %w", err)
	}
	if d.shared, err = repo.Open(ctx, p.Remote, repo.WithBare()); err != nil {
		return nil, fmt.Errorf("open the review desk: %w", err)
	}
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return nil, errors.Join(fmt.Errorf("open the review desk: %w", err), d.shared.Close())
	}
	d.Address = "http://" + listener.Addr().String()
	d.server = &http.Server{Handler: d.routes(), ReadHeaderTimeout: 10 * time.Second}
	go d.server.Serve(listener) // ends with Close
	if err := d.announce(ctx, ready); err != nil {
		return nil, errors.Join(err, d.Close())
	}
	context.AfterFunc(ctx, func() { d.Close() })
	return d, nil
}

func (d *ReviewService) addressFile() string { return filepath.Join(d.place.Remote, "review-address") }

func (d *ReviewService) announce(ctx context.Context, ready func(ctx context.Context, work string) error) error {
	work, err := repo.Open(ctx, d.place.Work)
	if err != nil {
		return fmt.Errorf("open the review desk: %w", err)
	}
	defer work.Close()
	if err := work.SetConfig(ctx, "bastel.review", d.Address); err != nil {
		return err
	}
	if ready != nil {
		if err := ready(ctx, d.place.Work); err != nil {
			return err
		}
	}
	if err := os.WriteFile(d.addressFile(), []byte(d.Address+"\n"), 0o666); err != nil {
		return fmt.Errorf("open the review desk: %w", err)
	}
	return nil
}

// Close closes the desk. What was said on it is kept.
func (d *ReviewService) Close() error {
	err := os.Remove(d.addressFile())
	if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	return errors.Join(err, d.server.Close(), d.shared.Close())
}

func (d *ReviewService) keptFile() string { return filepath.Join(d.place.Dir, "review-desk.json") }

func (d *ReviewService) load() error {
	data, err := os.ReadFile(d.keptFile())
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	var k kept
	err = json.Unmarshal(data, &k)
	d.comments, d.verdicts = k.Comments, k.Verdicts
	return err
}

// save writes down what was said; the lock is held.
func (d *ReviewService) save() error {
	data, err := json.MarshalIndent(kept{d.comments, d.verdicts}, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(d.keptFile(), data, 0o666)
}

func (d *ReviewService) routes() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", d.list)
	mux.HandleFunc("GET /series/{branch...}", d.series)
	mux.HandleFunc("POST /comment/{branch...}", d.comment)
	mux.HandleFunc("POST /verdict/{branch...}", d.verdict)
	mux.HandleFunc("GET "+review.ServicePath, d.answer)
	return http.NewCrossOriginProtection().Handler(mux)
}

func (d *ReviewService) show(w http.ResponseWriter, page string, data any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	var b strings.Builder
	if err := d.pages.ExecuteTemplate(&b, page, data); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	_, _ = w.Write([]byte(b.String())) // a reader that is gone needs nothing
}

// seriesCommit is a commit as the page shows it.
type seriesCommit struct {
	ID       string
	Subject  string
	Body     string
	By       string
	Files    []seriesFile
	Comments []review.Comment // on the commit as a whole
}

type seriesFile struct {
	Path string
	Note string // of what has no lines
	Rows []seriesRow
}

type seriesRow struct {
	Sign     string
	Number   int // of the line; 0: the row stands between hunks
	Text     string
	Comments []review.Comment
}

func (d *ReviewService) list(w http.ResponseWriter, r *http.Request) {
	refs, err := d.shared.Refs(r.Context(), "refs/heads")
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	type entry struct {
		Branch  string
		Commits int
	}
	var entries []entry
	for _, ref := range refs {
		ids, err := d.ids(r.Context(), ref.Short())
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		if len(ids) > 0 {
			entries = append(entries, entry{ref.Short(), len(ids)})
		}
	}
	d.show(w, "list", entries)
}

// ids lists what a branch has beyond main, oldest first; nothing for no such branch.
func (d *ReviewService) ids(ctx context.Context, branch string) ([]repo.ID, error) {
	tip, err := d.shared.RefValue(ctx, "refs/heads/"+branch)
	if err != nil || tip.IsZero() {
		return nil, err
	}
	main, err := d.shared.RefValue(ctx, "refs/heads/main")
	if err != nil {
		return nil, err
	}
	return d.shared.Range(ctx, main, tip)
}

func (d *ReviewService) series(w http.ResponseWriter, r *http.Request) {
	branch := r.PathValue("branch")
	ids, err := d.ids(r.Context(), branch)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	if len(ids) == 0 {
		http.NotFound(w, r)
		return
	}
	d.mu.Lock()
	comments, verdicts := d.of(branch)
	d.mu.Unlock()
	var commits []seriesCommit
	for _, id := range ids {
		c, err := d.read(r.Context(), id, comments)
		if err != nil {
			http.Error(w, err.Error(), http.StatusInternalServerError)
			return
		}
		commits = append(commits, c)
	}
	d.show(w, "series", map[string]any{"Branch": branch, "Commits": commits, "Verdicts": verdicts})
}

// of gives what was said of a branch; the lock is held.
func (d *ReviewService) of(branch string) (comments []review.Comment, verdicts []review.Verdict) {
	comments, verdicts = []review.Comment{}, []review.Verdict{}
	for _, c := range d.comments {
		if c.Branch == branch {
			comments = append(comments, c.Comment)
		}
	}
	for _, v := range d.verdicts {
		if v.Branch == branch {
			verdicts = append(verdicts, v)
		}
	}
	return comments, verdicts
}

func (d *ReviewService) read(ctx context.Context, id repo.ID, comments []review.Comment) (seriesCommit, error) {
	var s seriesCommit
	c, err := d.shared.Commit(ctx, id)
	if err != nil {
		return s, err
	}
	before := d.shared.EmptyTree()
	if !c.Parent().IsZero() {
		parent, err := d.shared.Commit(ctx, c.Parent())
		if err != nil {
			return s, err
		}
		before = parent.Tree
	}
	files, err := tray.Between(ctx, d.shared.NewOverlay(), before, c.Tree)
	if err != nil {
		return s, err
	}
	_, body, _ := strings.Cut(c.Text(c.Message), "\n")
	s = seriesCommit{ID: id.String(), Subject: c.Subject(), Body: strings.TrimSpace(body), By: c.Writer().Name}
	on := func(path, sign string, line int) (list []review.Comment) {
		for _, comment := range comments {
			if comment.Commit == id && comment.Path == path && comment.Sign == sign && comment.Line == line {
				list = append(list, comment)
			}
		}
		return list
	}
	s.Comments = on("", "", 0)
	for _, f := range files {
		s.Files = append(s.Files, rowsOf(f, on))
	}
	return s, nil
}

func rowsOf(f tray.File, on func(path, sign string, line int) []review.Comment) seriesFile {
	file := seriesFile{Path: f.Path}
	for i, h := range f.Hunks {
		if !h.HasLines() {
			file.Note = h.Note
			continue
		}
		if i > 0 {
			file.Rows = append(file.Rows, seriesRow{})
		}
		for _, line := range h.Lines {
			number := line.New + 1
			if line.Op == diff.Remove {
				number = line.Old + 1
			}
			sign := string(line.Op)
			file.Rows = append(file.Rows, seriesRow{sign, number, strings.TrimRight(string(line.Text), "\r\n"), on(f.Path, sign, number)})
		}
	}
	return file
}

func (d *ReviewService) comment(w http.ResponseWriter, r *http.Request) {
	branch := r.PathValue("branch")
	id, err := repo.ParseID(r.FormValue("commit"))
	text, by := strings.TrimSpace(r.FormValue("text")), strings.TrimSpace(r.FormValue("by"))
	line, lineErr := strconv.Atoi(r.FormValue("line"))
	ids, idsErr := d.ids(r.Context(), branch)
	switch {
	case err != nil || idsErr != nil || !slices.Contains(ids, id):
		http.Error(w, "There is no such commit in this series.", http.StatusNotFound)
		return
	case text == "" || by == "" || r.FormValue("path") != "" && lineErr != nil:
		http.Error(w, "A comment needs a text, a name, and a line if it has a path.", http.StatusBadRequest)
		return
	}
	c := review.Comment{Commit: id, Path: r.FormValue("path"), By: by, Text: text, When: time.Now().UTC().Truncate(time.Second)}
	if c.Path != "" {
		c.Sign, c.Line = r.FormValue("sign"), line
	}
	d.change(w, r, branch, func() {
		c.ID = fmt.Sprint(len(d.comments) + 1)
		d.comments = append(d.comments, deskComment{branch, c})
	})
}

func (d *ReviewService) verdict(w http.ResponseWriter, r *http.Request) {
	branch, by := r.PathValue("branch"), strings.TrimSpace(r.FormValue("by"))
	ids, err := d.ids(r.Context(), branch)
	if err != nil || len(ids) == 0 {
		http.NotFound(w, r)
		return
	}
	if by == "" {
		http.Error(w, "A verdict needs a name.", http.StatusBadRequest)
		return
	}
	v := review.Verdict{Branch: branch, By: by, Commit: ids[len(ids)-1], When: time.Now().UTC().Truncate(time.Second),
		Approved: r.FormValue("approved") == "yes"}
	d.change(w, r, branch, func() { d.verdicts = append(d.verdicts, v) })
}

// change writes something down and goes back to the series.
func (d *ReviewService) change(w http.ResponseWriter, r *http.Request, branch string, do func()) {
	d.mu.Lock()
	defer d.mu.Unlock()
	do()
	if err := d.save(); err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	http.Redirect(w, r, "/series/"+branch, http.StatusSeeOther)
}

func (d *ReviewService) answer(w http.ResponseWriter, r *http.Request) {
	d.mu.Lock()
	defer d.mu.Unlock()
	comments, verdicts := d.of(r.FormValue("branch"))
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(review.Answer{Comments: comments, Verdicts: verdicts}) // a reader that is gone needs nothing
}
