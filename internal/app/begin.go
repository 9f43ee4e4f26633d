package app

import (
	"context"

	"bastel/internal/demo"
	"bastel/internal/repo"
)

// MakeRepository makes an empty repository in dir.
func MakeRepository(ctx context.Context, dir string) error { return repo.Init(ctx, dir) }

// AnyPort is where a server listens that may have any free port of this machine.
const AnyPort = "127.0.0.1:0"

// MakeDemo makes the demo in dir, opens its review desk until the context ends, and gives
// the user's clone.
func MakeDemo(ctx context.Context, dir string) (string, error) {
	place, err := demo.Make(ctx, dir)
	if err != nil {
		return "", err
	}
	_, err = OpenDesk(ctx, place, AnyPort)
	return place.Work, err
}

// OpenDesk opens the review desk of a demo. The user's clone in it names the desk, which is allowed: the demo is their own.
func OpenDesk(ctx context.Context, place demo.Place, address string) (*demo.ReviewService, error) {
	return demo.OpenReviewService(ctx, place, address, func(ctx context.Context, work string) error {
		a, _, err := Open(ctx, work)
		if err != nil {
			return err
		}
		defer a.Close()
		_, err = a.Allow(ctx, true)
		return err
	})
}
