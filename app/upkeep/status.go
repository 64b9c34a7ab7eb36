package upkeep

import (
	"runtime/debug"
	"slices"
	"time"

	"nevrin/app/act"
	"nevrin/app/notices"
	"nevrin/core/calendar"
	"nevrin/core/expect"
	"nevrin/store"
	"nevrin/store/statusdb"
)

// Status is the state of an installation: what has been set up, what works by itself, and what failed.
type Status struct {
	Version  string `json:"version" doc:"Of the program"`
	Server   string `json:"server" doc:"Of PostgreSQL"`
	Currency string `json:"currency"`
	Timezone string `json:"timezone"`

	Night      *calendar.Date `json:"night,omitempty" format:"date" doc:"The last night whose work was done"`
	NightEnded *time.Time     `json:"night_ended,omitempty"`
	NightLate  bool           `json:"night_late" doc:"A later night should have been done"`

	Archived *time.Time `json:"archived,omitempty" doc:"When PostgreSQL last gave a part of its log to an archive; missing: never"`

	BackedUp  *time.Time `json:"backed_up,omitempty" doc:"When nevrin backup last made a base backup; missing: never"`
	OldBackup bool       `json:"old_backup" doc:"The last base backup is older than it should be"`

	MailOff notices.Off `json:"mail_off" enum:",server,sender" doc:"Why no email goes; empty: it goes"`
	Waiting int         `json:"waiting" doc:"Messages that wait to be sent"`
	Refused int         `json:"refused" doc:"Messages that a mail server has refused"`

	Failed []statusdb.FailedJobs `json:"failed" doc:"Work in the background that did not work"`
	Steps  []Step                `json:"steps" doc:"What a network needs before its first day, in a good order"`
	Lent   bool                  `json:"lent" doc:"Something has been lent: the first day is over"`
}

// Step is one thing to do before the first day.
type Step struct {
	ID   string `json:"id" enum:"hours,staff,stations,numbers,lists,mail,stock,patrons,backup"`
	Done bool   `json:"done"`
}

// oldBackup is the age of a base backup from which on somebody should look why there is no newer one: they are made daily or weekly.
const oldBackup = 8 * 24 * time.Hour

// Stand tells how the installation stands.
func Stand(a *act.Act) (*Status, error) {
	s, err := statusdb.ReadInstallation(a.Tx)
	if err != nil {
		return nil, err
	}
	failed, err := statusdb.CountFailedJobs(a.Tx)
	if err != nil {
		return nil, err
	}
	for k := range failed {
		failed[k].Error = expect.Shown(failed[k].Error)
	}
	out := &Status{
		Version: version(), Server: s.Server, Currency: a.Network.Currency, Timezone: a.Network.Timezone,
		Night: store.DateOf(s.Night), NightEnded: s.NightEnded, Archived: s.Archived, BackedUp: s.BackedUp,
		MailOff: notices.WhyOff(a), Waiting: s.Waiting, Refused: s.Refused,
		Failed: append([]statusdb.FailedJobs{}, failed...), Lent: s.Lent,
	}
	out.OldBackup = s.BackedUp != nil && time.Since(*s.BackedUp) > oldBackup
	out.NightLate = out.Night != nil && *out.Night < a.Today()-1
	shut := slices.ContainsFunc(a.Network.Branches, func(b *calendar.Branch) bool { return a.Network.IsOpen(b.Code) && !b.EverOpen() })
	out.Steps = []Step{
		{"hours", !shut},
		{"staff", s.Staff > 1},
		{"stations", s.Stations > 0},
		{"numbers", s.Numbered || s.Items && s.Patrons},
		{"lists", s.Choices > 0},
		{"mail", out.MailOff == notices.On},
		{"stock", s.Items},
		{"patrons", s.Patrons},
		{"backup", s.Archived != nil || s.BackedUp != nil},
	}
	return out, nil
}

// version is the revision of the source that the program was built from.
func version() string {
	info, _ := debug.ReadBuildInfo()
	if info != nil {
		for _, s := range info.Settings {
			if s.Key == "vcs.revision" {
				return s.Value[:min(len(s.Value), 12)]
			}
		}
	}
	return "of unknown revision"
}
