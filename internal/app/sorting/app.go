// Package sorting holds the use cases of sorting loose changes: hunks and lines into trays and the index, commits
// from them, changes into the commits where they belong, leftovers out, commits back to loose changes.
//
// Its tests promise: commits hold what was seen, hunks go home without touching others, and loosening and
// discarding lose nothing.
package sorting

import "bastel/internal/app"

// App is the open repository, for sorting.
type App struct{ *app.App }

// Of gives the use cases of an open repository.
func Of(a *app.App) *App { return &App{a} }
