package publishing

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/repo"
	"bastel/internal/review"
)

// Received is what a review service had to say.
type Received struct {
	Comments int `json:"comments"` // new ones
	Verdicts int `json:"verdicts"`
}

// Says tells it in a sentence.
func (r Received) Says() string {
	if r.Comments == 0 && r.Verdicts == 0 {
		return "The review service has nothing new."
	}
	var words []string
	if r.Comments > 0 {
		words = append(words, wording.Count(r.Comments, "new comment"))
	}
	if r.Verdicts > 0 {
		words = append(words, wording.Count(r.Verdicts, "new verdict"))
	}
	return strings.Join(words, " and ") + " came from the review service."
}

// servicePatience is how long a review service may take for its answer.
const servicePatience = 20 * time.Second

// ReceiveReview asks the review service that bastel.review names for what reviewers said
// of the branch. It comes as remarks. Errors: ErrNoService.
func (a *App) ReceiveReview(ctx context.Context) (Received, error) {
	var got Received
	head, err := a.BranchAtWork(ctx)
	if err != nil {
		return got, err
	}
	address, err := a.GuardedValue(ctx, "bastel.review")
	if err == nil && address == "" {
		err = a.UnallowedRefusal(ctx, "bastel.review")
	}
	if err != nil {
		return got, err
	}
	if address == "" {
		return got, app.Refuse("No review service is set. Set a compatible service: git config bastel.review ADDRESS. The demo has one.")
	}
	answer, err := askService(ctx, address, head.Branch())
	if err != nil {
		return got, err
	}
	remarks := make([]review.Remark, len(answer.Comments))
	for i, c := range answer.Comments {
		if remarks[i], err = a.remarkOf(ctx, head.Branch(), c); err != nil {
			return got, err
		}
	}
	for i := range answer.Verdicts {
		answer.Verdicts[i].Branch = head.Branch()
	}
	return got, a.changeRecord(func(b *review.Record) error {
		got.Comments, got.Verdicts = b.Receive(remarks, answer.Verdicts)
		return nil
	})
}

func askService(ctx context.Context, address, branch string) (review.Answer, error) {
	fail := func(err error) (review.Answer, error) {
		if ctx.Err() != nil {
			return review.Answer{}, ctx.Err()
		}
		return review.Answer{}, fmt.Errorf("ask %s: %w: %w", address, app.ErrNoService, err)
	}
	limited, cancel := context.WithTimeout(ctx, servicePatience)
	defer cancel()
	where := strings.TrimSuffix(address, "/") + review.ServicePath + "?branch=" + url.QueryEscape(branch)
	request, err := http.NewRequestWithContext(limited, http.MethodGet, where, nil)
	if err != nil {
		return fail(err)
	}
	response, err := http.DefaultClient.Do(request)
	if err != nil {
		return fail(err)
	}
	defer response.Body.Close()
	if response.StatusCode != http.StatusOK {
		return fail(errors.New(response.Status))
	}
	answer, err := review.ReadAnswer(response.Body)
	if err != nil {
		return fail(err)
	}
	return answer, nil
}

// remarkOf makes a remark of a comment. It holds on to the line's content where the commit is
// known here.
func (a *App) remarkOf(ctx context.Context, branch string, c review.Comment) (review.Remark, error) {
	n := review.Remark{Branch: branch, Text: c.Text, By: c.By, When: c.When, From: c.ID,
		Anchor: review.Anchor{Commit: c.Commit, Path: c.Path, Sign: c.Sign, Number: c.Line}}
	known, err := a.Repo.Has(ctx, c.Commit)
	if err != nil || !known {
		return n, err
	}
	sources, err := a.Sources(ctx, []repo.ID{c.Commit})
	if err != nil {
		return n, err
	}
	series, err := a.seriesOf(ctx, sources)
	if err != nil {
		return n, err
	}
	if at, found := review.LineOf(series[0].Files, c.Path, c.Sign, c.Line); found {
		n.Anchor = review.AnchorOf(series[0], at)
	} else if c.Path == "" {
		n.Anchor.Author, n.Anchor.Title = series[0].Author, series[0].Subject
	}
	return n, nil
}
