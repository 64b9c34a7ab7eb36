package people

import (
	"bytes"
	"fmt"
	"image"
	_ "image/jpeg" // the two forms that are taken
	_ "image/png"

	"nevrin/app/act"
	"nevrin/app/event"
	"nevrin/app/problem"
	"nevrin/core/loan"
	"nevrin/core/person"
	"nevrin/store"
	"nevrin/store/peopledb"
)

// Bounds of a photograph: it is shown small.
const (
	photoBytes = 300_000
	photoSide  = 1000 // pixels
)

// Picture is a photograph that is sent.
type Picture struct {
	Picture []byte `json:"picture" minLength:"1" maxLength:"400000" doc:"A JPEG or PNG file in base64, of 1000 pixels a side at most"`
}

// TakePhoto writes the photograph of a patron.
func TakePhoto(a *act.Act, id int64, in Picture) (*Card, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	if says := noPhoto(a, p); says != "" {
		return nil, problem.New(problem.Refused, says)
	}
	size, form, err := image.DecodeConfig(bytes.NewReader(in.Picture))
	switch {
	case err != nil || form != "jpeg" && form != "png":
		return nil, problem.Newf(problem.Invalid, "This picture cannot be read. Use a JPEG or PNG file.")
	case len(in.Picture) > photoBytes:
		return nil, problem.Newf(problem.Invalid, "This picture has %d kB. The limit is %d kB.",
			len(in.Picture)/1000, photoBytes/1000)
	case size.Width > photoSide || size.Height > photoSide:
		return nil, problem.Newf(problem.Invalid, "This picture is %d by %d pixels. The limit is %d per side.",
			size.Width, size.Height, photoSide)
	}
	if _, _, err := image.Decode(bytes.NewReader(in.Picture)); err != nil {
		return nil, problem.Newf(problem.Invalid, "This picture is incomplete. Take or choose it again.")
	}
	peopledb.KeepPhoto(a.Tx, id, peopledb.Photo{Kind: "image/" + form, Picture: in.Picture}, a.Now)
	a.Tell(event.Event{Kind: event.PhotoTaken, Patron: id})
	return Open(a, id)
}

// DropPhoto takes the photograph of a patron off their record.
func DropPhoto(a *act.Act, id int64) (*Card, error) {
	p, err := Locked(a, id)
	if err != nil {
		return nil, err
	}
	if p.PhotoAt == nil {
		return nil, problem.Newf(problem.Refused, "There is no photograph on this record.")
	}
	peopledb.DropPhoto(a.Tx, id)
	a.Tell(event.Event{Kind: event.PhotoDropped, Patron: id})
	return Open(a, id)
}

// Photo gives the photograph of a patron to who may see them.
func Photo(a *act.Act, id int64) (*peopledb.Photo, error) {
	if err := InHand(a, id); err != nil {
		return nil, err
	}
	if !a.Network.Settled.Counter.Photos {
		return nil, problem.NoSuch("photograph")
	}
	p, err := peopledb.PhotoOf(a.Tx, id)
	if err == nil && p == nil {
		err = problem.NoSuch("photograph")
	}
	return p, err
}

// noPhoto tells why no photograph of a patron is kept; empty: it may be.
func noPhoto(a *act.Act, p *peopledb.Patron) string {
	born := store.DateOf(p.Born)
	minor := born != nil && loan.AgeOn(*born, a.Today()) < loan.AdultFrom
	return person.NoPhoto(a.Network.Settled.Counter.Photos, minor, p.Photo)
}

// pictureOf is where the photograph of a patron is, another place for each one taken; empty: there is none to be seen.
func pictureOf(a *act.Act, p *peopledb.Patron) string {
	if p.PhotoAt == nil || !a.Network.Settled.Counter.Photos {
		return ""
	}
	return fmt.Sprintf("/api/patrons/%d/photo?of=%d", p.ID, p.PhotoAt.UnixMilli())
}
