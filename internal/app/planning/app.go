// Package planning holds the use cases of a plan: the series as it will be, its forecast and checks, applying
// it, and taking back and doing again what was done.
//
// Its tests promise: plans are applied whole or not at all, loose changes are carried, and undo brings
// everything back.
package planning

import "bastel/internal/app"

// App is the open repository, for planning.
type App struct{ *app.App }

// Of gives the use cases of an open repository.
func Of(a *app.App) *App { return &App{a} }
