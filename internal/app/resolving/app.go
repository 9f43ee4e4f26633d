// Package resolving holds the use cases of conflicts: those of a plan, and those of a merge or of commits being
// taken, which wait in the working tree.
//
// Its tests promise: answers end up in the files as given, and nothing is resolved unasked.
package resolving

import "bastel/internal/app"

// App is the open repository, for resolving.
type App struct{ *app.App }

// Of gives the use cases of an open repository.
func Of(a *app.App) *App { return &App{a} }
