package shape

import (
	"context"
	"errors"
	"slices"

	tea "charm.land/bubbletea/v2"

	"bastel/internal/app"
	"bastel/internal/journal"
	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/ui/kit"
)

type forecasted struct {
	number   int
	forecast *replay.Forecast
	taken    []journal.LostWork
	err      error
}

// takeMade takes a plan over for which commits were made.
func (m *Model) takeMade(msg made) tea.Cmd {
	if !msg.of.Equal(m.plan) { // that it was read again, and is the same, is no edit
		return kit.Show(kit.Notice{Text: "The plan was edited meanwhile. Do it again.", Trouble: true})
	}
	m.know(msg.sources)
	if msg.plan.Equal(m.plan) {
		return kit.Say("Nothing was changed, so the plan stays as it is.")
	}
	if m.then = msg.then; msg.then != "" { // what another screen asked for is in view
		fresh := slices.IndexFunc(msg.plan.Next, func(e shape.Entry) bool { return m.plan.Place(e.From[0]) < 0 })
		m.half, m.cursor[kit.Next] = kit.Next, max(0, fresh)
	}
	return m.set(msg.plan)
}

// takeForecast takes the forecast of the plan that is shown, and tells Mend of it.
func (m *Model) takeForecast(msg forecasted) tea.Cmd {
	if msg.number != m.number {
		return nil
	}
	m.forecast, m.trouble = msg.forecast, ""
	m.taken = slices.DeleteFunc(msg.taken, func(t journal.LostWork) bool { return t.Mine })
	if msg.err != nil {
		m.trouble = msg.err.Error()
	}
	told := kit.Forecasted{Plan: m.plan, Forecast: m.forecast}
	if !errors.As(msg.err, new(*app.Refusal)) {
		told.Err = msg.err
	}
	known := kit.Show(kit.ForScreen{Screen: mender, Msg: told})
	if m.checkSoon {
		m.checkSoon = false
		return tea.Batch(known, m.check())
	}
	return known
}

// set makes an edited plan the current one.
func (m *Model) set(plan shape.Plan) tea.Cmd {
	m.before = append(m.before, m.plan)
	m.after = nil
	return m.show(plan)
}

// show makes a plan the current one, keeps it as the draft, and has it forecast.
func (m *Model) show(plan shape.Plan) tea.Cmd {
	of := m.plan.Sources
	m.plan = plan
	if !slices.Equal(plan.Sources, of) { // it begins elsewhere: what was found out is of other commits
		return tea.Batch(m.survey(), m.forecastIt(plan))
	}
	return m.forecastIt(plan)
}

func (m *Model) forecastIt(plan shape.Plan) tea.Cmd {
	m.clamp()
	if m.cancel != nil {
		m.cancel()
	}
	ctx, cancel := context.WithCancel(repo.Because(m.ctx, "forecasting"))
	m.cancel = cancel
	m.number++
	number := m.number
	m.trouble, m.checkSoon = "", false
	keep := m.keeper.Keep(func() error { return m.planning.KeepPlan(repo.Because(m.ctx, "keeping the plan"), plan) })
	return func() tea.Msg {
		defer cancel()
		if err := keep(); err != nil {
			return kit.Notice{Text: err.Error(), Trouble: true}
		}
		forecast, err := m.planning.Forecast(ctx, plan, nil)
		var taken []journal.LostWork
		if err == nil {
			taken, err = m.planning.TakesBack(ctx, plan, forecast)
		}
		return kit.ForScreen{Screen: Name, Msg: forecasted{number, forecast, taken, err}}
	}
}
