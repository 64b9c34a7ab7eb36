package staff

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"image/png"
	"net/url"
	"regexp"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/qr"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/door"
	"nevrin/store"
)

// ErrSecond says that the password is right and the code of the second factor is missing.
var ErrSecond = problem.Newf(problem.Forbidden, "Now the code that your app for codes shows.")

// second looks whether a code is the one of somebody's second factor now; each counts once.
func second(ctx context.Context, h *act.House, address string, s *store.Staff, code string) error {
	if code == "" {
		return ErrSecond
	}
	used := errors.New("used")
	err := h.Store.Write(ctx, func(tx *store.Tx) error {
		now, err := tx.RealTime()
		if err != nil {
			return err
		}
		locked, err := tx.StaffLocked(s.ID)
		if err != nil {
			return err
		}
		step, right := door.Second(locked.Second, code, now, locked.SecondStep)
		if !right {
			return used
		}
		tx.SecondUsed(s.ID, step)
		return nil
	})
	if !errors.Is(err, used) {
		return err
	}
	err = h.Store.Write(ctx, func(tx *store.Tx) error {
		return tell(tx, s, event.SignInFailed, event.Detail{From: address, Means: "second"})
	})
	if err != nil {
		return err
	}
	return problem.Newf(problem.Forbidden, "This code is not right, or has been used. Wait for the next one that your app shows.")
}

// Setting is a second factor about to be set up: its secret, also as an address and as a picture for apps.
type Setting struct {
	Secret  string `json:"secret"`
	Address string `json:"address"`
	Picture []byte `json:"picture"` // a PNG
}

// secretSize is how many bytes a secret has: as many as RFC 4226 recommends.
const secretSize = 20

var secretForm = regexp.MustCompile(`^[A-Z2-7]{32}$`)

// BeginSecond makes a secret for a second factor. It counts once a code of it has come back.
func BeginSecond(a *act.Act) (*Setting, error) {
	s, err := a.Tx.StaffByID(a.Who.ID)
	if err != nil {
		return nil, err
	}
	data := make([]byte, secretSize)
	_, _ = rand.Read(data) // never fails
	secret := base32.StdEncoding.EncodeToString(data)
	label := url.URL{Scheme: "otpauth", Host: "totp", Path: "/" + a.Network.Name + ":" + s.Login}
	label.RawQuery = url.Values{"secret": {secret}, "issuer": {a.Network.Name}}.Encode()
	code, err := qr.Encode(label.String(), qr.M, qr.Auto)
	if err != nil {
		return nil, err
	}
	if code, err = barcode.Scale(code, code.Bounds().Dx()*5, code.Bounds().Dy()*5); err != nil {
		return nil, err
	}
	var picture bytes.Buffer
	if err := png.Encode(&picture, code); err != nil {
		return nil, err
	}
	return &Setting{secret, label.String(), picture.Bytes()}, nil
}

// SetSecond sets somebody's own second factor up, once a code shows that their app knows its secret.
func SetSecond(a *act.Act, secret, code, token string) error {
	s, err := a.Tx.StaffLocked(a.Who.ID)
	if err != nil {
		return err
	}
	if s.Demo {
		return problem.Newf(problem.Refused, "People of the demo have no password, so no second factor either.")
	}
	if !secretForm.MatchString(secret) {
		return problem.Newf(problem.Invalid, "This is no secret that Nevrin has made. Begin again.")
	}
	now, err := a.Tx.RealTime()
	if err != nil {
		return err
	}
	step, right := door.Second(secret, code, now, 0)
	if !right {
		return problem.Newf(problem.Invalid, "This code is not right. Look whether your phone's clock is, and type the code that it shows now.")
	}
	a.Tx.KeepSecond(s.ID, secret, step)
	a.Tx.DropSessionsOf(s.ID, token)
	a.Tell(event.Event{Kind: event.SecondFactor, Detail: event.Detail{Staff: s.ID, Is: "set"}})
	return nil
}

// DropSecond takes somebody's second factor away, for who has lost it; they sign in by password alone until they set up
// another.
func DropSecond(a *act.Act, id int64) error {
	s, err := a.Tx.StaffLocked(id)
	if err != nil {
		return err
	}
	if s == nil {
		return problem.NoSuch("person")
	}
	if s.Second == "" {
		return nil
	}
	a.Tx.KeepSecond(id, "", 0)
	a.Tx.DropSessionsOf(id, "")
	a.Tell(event.Event{Kind: event.SecondFactor, Detail: event.Detail{Staff: id, Is: "taken away"}})
	return nil
}
