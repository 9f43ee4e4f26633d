package app

import (
	"context"

	"bastel/internal/demo"
	"bastel/internal/repo"
)

// MakeRepository makes an empty repository in dir.
func MakeRepository(ctx context.Context, dir string) error { return repo.Init(ctx, dir) }

// MakeDemo makes the demo in dir and gives the user's clone.
func MakeDemo(ctx context.Context, dir string) (string, error) {
	place, err := demo.Make(ctx, dir)
	return place.Work, err
}
