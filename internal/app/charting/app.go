// Package charting holds the use cases of branches: where they hang on their target's line, switching, making, renaming,
// deleting and moving them.
//
// Its tests promise: a switch there and back keeps every byte of files and index, nothing that only a branch holds goes
// unasked, and each step can be undone.
package charting

import "bastel/internal/app"

// App is the open repository, for its branches.
type App struct{ *app.App }

// Of gives the use cases of an open repository.
func Of(a *app.App) *App { return &App{a} }
