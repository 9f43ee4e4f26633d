// Package publishing holds the use cases around a remote: comparing with it, reading through what will be sent,
// the preflight, sending, landing, fetching, and handing over.
//
// Its tests promise: three people on two branches lose no work, whatever they do.
package publishing

import "bastel/internal/app"

// App is the open repository, for publishing.
type App struct{ *app.App }

// Of gives the use cases of an open repository.
func Of(a *app.App) *App { return &App{a} }
