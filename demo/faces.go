package demo

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"

	"github.com/jackc/pgx/v5"
)

// photograph puts photographs on the records of some grown-ups; the others have initials.
func photograph(ctx context.Context, tx pgx.Tx) error {
	rows, err := tx.Query(ctx, `UPDATE patrons
		SET photo = true, photo_at = coalesce(joined_on, '2026-01-05') + interval '10 hours'
		WHERE class IN ('adult', 'senior') AND branch_code IN ('HVH', 'SLM', 'SKN') AND id % 7 IN (1, 3)
			AND photo IS NULL AND NOT institution
		RETURNING id, extract(year FROM age(DATE '2026-10-06', born))::int AS age`)
	if err != nil {
		return err
	}
	type sitter struct {
		ID  int64
		Age int
	}
	sitters, err := pgx.CollectRows(rows, pgx.RowToStructByName[sitter])
	if err != nil {
		return err
	}
	batch := &pgx.Batch{}
	for _, s := range sitters {
		id := s.ID
		batch.Queue("INSERT INTO patron_photos (patron_id, kind, picture) VALUES ($1, 'image/jpeg', $2)", id, face(id, s.Age))
		batch.Queue(`INSERT INTO consents (patron_id, what, answer, at, reason)
			SELECT id, 'photo', 'yes', photo_at, 'At registration' FROM patrons WHERE id = $1`, id)
	}
	return tx.SendBatch(ctx, batch).Close()
}

// face draws somebody from their number and age, for those of the demo who have a photograph: nobody who lives looks like that.
func face(number int64, age int) []byte {
	pick := func(of []color.RGBA, by int64) color.RGBA { return of[number/by%int64(len(of))] }
	wall := pick([]color.RGBA{{214, 222, 220, 255}, {228, 219, 203, 255}, {205, 214, 226, 255}}, 1)
	skin := pick([]color.RGBA{{236, 200, 170, 255}, {150, 104, 74, 255}, {214, 164, 126, 255}, {104, 70, 50, 255}}, 3)
	hair := pick([]color.RGBA{{60, 44, 34, 255}, {150, 110, 60, 255}, {190, 190, 188, 255}, {30, 28, 30, 255}}, 2)
	grey := color.RGBA{200, 200, 198, 255}
	switch { // hair turns with the years
	case age >= 66:
		hair = grey
	case age >= 50:
		hair = color.RGBA{hair.R/2 + 80, hair.G/2 + 80, hair.B/2 + 80, 255}
	}
	coat := pick([]color.RGBA{{36, 84, 78, 255}, {120, 52, 60, 255}, {60, 74, 120, 255}, {150, 120, 60, 255}}, 5)
	picture := image.NewRGBA(image.Rect(0, 0, 270, 360))
	draw.Draw(picture, picture.Bounds(), image.NewUniform(wall), image.Point{}, draw.Src)
	oval := func(x, y, w, h int, c color.RGBA) {
		for py := y - h; py <= y+h; py++ {
			for px := x - w; px <= x+w; px++ {
				dx, dy := float64(px-x)/float64(w), float64(py-y)/float64(h)
				if dx*dx+dy*dy <= 1 {
					picture.SetRGBA(px, py, c)
				}
			}
		}
	}
	wide := 66 + int(number%3)*6
	oval(135, 380, 120, 120, coat)
	oval(135, 140, wide+14, 98+int(number%2)*30, hair)
	oval(135, 262, 30, 46, skin)
	oval(135, 165, wide, 88, skin)
	for _, x := range []int{108, 162} {
		oval(x, 158, 6, 7, color.RGBA{40, 34, 34, 255})
	}
	if age >= 60 { // glasses, and lines beside the mouth
		for _, x := range []int{108, 162} {
			oval(x, 158, 19, 16, color.RGBA{70, 66, 64, 255})
			oval(x, 158, 16, 13, skin)
			oval(x, 158, 6, 7, color.RGBA{40, 34, 34, 255})
			oval(x, 208, 3, 16, color.RGBA{skin.R - 26, skin.G - 24, skin.B - 22, 255})
		}
	}
	oval(135, 186, 7, 12, color.RGBA{skin.R - 20, skin.G - 20, skin.B - 18, 255})
	oval(135, 216, 22, 6, color.RGBA{160, 84, 78, 255})
	var out bytes.Buffer
	_ = jpeg.Encode(&out, picture, &jpeg.Options{Quality: 85}) // into memory
	return out.Bytes()
}
