package staff

import (
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base32"
	"errors"
	"fmt"
	"image/png"
	"net/url"
	"time"

	"github.com/boombuler/barcode"
	"github.com/boombuler/barcode/qr"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/door"
	"nevrin/store"
	"nevrin/store/staffdb"
)

// ErrSecond says that the password is right and the code of the second factor is missing.
var ErrSecond = problem.Newf(problem.Forbidden, "Enter the code from your authenticator app.")

// second looks whether a code is the one of somebody's second factor now; each counts once.
func second(ctx context.Context, h *act.House, address string, s *staffdb.Staff, code string) error {
	if code == "" {
		return ErrSecond
	}
	used := errors.New("used")
	err := h.Store.Write(ctx, func(tx *store.Tx) error {
		now, err := staffdb.RealTime(tx)
		if err != nil {
			return err
		}
		locked, err := staffdb.StaffLocked(tx, s.ID)
		if err != nil {
			return err
		}
		secret, err := h.Keys.Open(locked.Second, aboutSecond(s.ID))
		if err != nil {
			return err
		}
		step, right := door.Second(secret, code, now, locked.SecondStep)
		if !right {
			return used
		}
		staffdb.SecondUsed(tx, s.ID, step)
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
	return problem.Newf(problem.Forbidden, "This code is wrong or already used. Wait for the next one in your app.")
}

// Setting is a second factor about to be set up: its secret, also as an address and as a picture for apps.
type Setting struct {
	Secret  string `json:"secret"`
	Address string `json:"address"`
	Picture []byte `json:"picture"` // a PNG
}

// secretSize is how many bytes a secret has: as many as RFC 4226 recommends.
const secretSize = 20

// offerStays is the time in which an offered secret can be set up.
const offerStays = 15 * time.Minute

// aboutSecond is what the seal of somebody's secret is about: another's does not open in its place.
func aboutSecond(staff int64) string { return fmt.Sprintf("second factor of %d", staff) }

// BeginSecond offers a secret for a second factor to a session, by its token. It counts once a code of it has come back.
func BeginSecond(a *act.Act, token string) (*Setting, error) {
	s, err := staffdb.StaffByID(a.Tx, a.Who.ID)
	if err != nil {
		return nil, err
	}
	if s.Demo {
		return nil, problem.Newf(problem.Refused, "Demo users have no password, so no second factor either.")
	}
	data := make([]byte, secretSize)
	_, _ = rand.Read(data) // never fails
	secret := base32.StdEncoding.EncodeToString(data)
	sealed, err := a.House.Keys.Seal(secret, aboutSecond(s.ID))
	if errors.Is(err, door.ErrNoKey) {
		return nil, problem.Newf(problem.Refused, "Second factors are not available yet. The operator of Nevrin has to set NEVRIN_KEYS first.")
	}
	if err != nil {
		return nil, err
	}
	staffdb.OfferSecond(a.Tx, token, s.ID, sealed, offerStays)
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

// SetSecond sets up the second factor of somebody who has proven who they are: the one that their session was offered, once a code
// shows that their app knows its secret.
func SetSecond(a *act.Act, code, token string) error {
	s, err := staffdb.StaffLocked(a.Tx, a.Who.ID)
	if err != nil {
		return err
	}
	sealed, err := staffdb.OfferedSecond(a.Tx, token, s.ID)
	if err != nil {
		return err
	}
	if sealed == "" {
		return problem.Newf(problem.Invalid, "The setup has expired. Start again.")
	}
	secret, err := a.House.Keys.Open(sealed, aboutSecond(s.ID))
	if err != nil {
		return err
	}
	now, err := staffdb.RealTime(a.Tx)
	if err != nil {
		return err
	}
	step, right := door.Second(secret, code, now, 0)
	if !right {
		return problem.Newf(problem.Invalid, "This code is wrong. Check your phone’s clock and enter the current code.")
	}
	staffdb.KeepSecond(a.Tx, s.ID, sealed, step)
	staffdb.DropOffer(a.Tx, token)
	staffdb.DropSessionsOf(a.Tx, s.ID, token)
	a.Tell(event.Event{Kind: event.SecondFactor, Detail: event.Detail{Staff: s.ID, Is: "set"}})
	return nil
}

// Reseal seals the secrets of all second factors with the newest key: those that stood in clear, and those of older keys. It fails
// where one is sealed with a key that is not there, or where there is none to seal with. It gives how many it has sealed.
func Reseal(ctx context.Context, h *act.House) (int, error) {
	sealed := 0
	err := h.Store.Write(ctx, func(tx *store.Tx) error {
		sealed = 0
		kept, err := staffdb.Seconds(tx)
		if err != nil {
			return err
		}
		for _, k := range kept {
			if h.Keys.Current(k.Second) {
				continue
			}
			secret := k.Second
			if door.IsSealed(secret) {
				secret, err = h.Keys.Open(secret, aboutSecond(k.ID))
			}
			if err == nil {
				secret, err = h.Keys.Seal(secret, aboutSecond(k.ID))
			}
			if err != nil {
				return fmt.Errorf("NEVRIN_KEYS: the second factors of %d people are to be opened: %w", len(kept), err)
			}
			staffdb.SealSecond(tx, k.ID, secret)
			sealed++
		}
		return nil
	})
	return sealed, err
}

// DropSecond takes somebody's second factor away, for who has lost it; they sign in by password alone until they set up
// another.
func DropSecond(a *act.Act, id int64) error {
	s, err := staffdb.StaffLocked(a.Tx, id)
	if err != nil {
		return err
	}
	if s == nil {
		return problem.NoSuch("person")
	}
	if s.Second == "" {
		return nil
	}
	staffdb.KeepSecond(a.Tx, id, "", 0)
	staffdb.DropSessionsOf(a.Tx, id, "")
	a.Tell(event.Event{Kind: event.SecondFactor, Detail: event.Detail{Staff: id, Is: "removed"}})
	return nil
}
