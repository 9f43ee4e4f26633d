package app

import "context"

// LockForTest holds the lock as an operation does.
func (a *App) LockForTest(ctx context.Context) (func(), error) { return a.lock(ctx) }
