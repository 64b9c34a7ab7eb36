package stockdb

import (
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"nevrin/core/calendar"
	"nevrin/store"
)

// Title is a work as catalogued.
type Title struct {
	ID     int64
	Name   string
	Author string
	ISBN   string `gorm:"column:isbn"` // ISO 2108, thirteen digits; empty: none
	Year   *int

	Numbers   string // further ISBN and ISSN, with blanks between
	Edition   string
	Publisher string
	Language  string // ISO 639-2
	Series    string
	Subjects  string // with semicolons between
	Summary   string
	Extent    string
	Record    json.RawMessage `gorm:"type:jsonb"` // as it came, in the form of formats/marc
	Source    string          // where it came from, and its number there
	Revision  int             `gorm:"default:1"`
}

// TitleSearch is a search of titles. All words must be in the title; other fields that are empty match all.
type TitleSearch struct {
	Words                string
	Here                 calendar.Code // whose copies count as here
	Branch               calendar.Code // with a copy that belongs there
	Collection, Material string        // with a copy of it
	From, To             int           // published in these years; 0: any
	Public               bool          // without copies for staff alone
}

// IsPublic tells whether the public may see a title: it has a copy that is not for staff alone.
func IsPublic(tx *store.Tx, id int64) (bool, error) {
	return store.Value[bool](tx, "SELECT EXISTS (SELECT 1 FROM items i WHERE i.title_id = $1 AND i.standing <> 'withdrawn' AND "+
		publicItem+")", id)
}

// PublicCopy is a copy as the public sees it.
type PublicCopy struct {
	TitleID          int64
	BranchCode       calendar.Code // where it stands if it is free, and otherwise where it belongs
	Material         string
	Collection, Call string
	Free, Lent       bool
	Due              *time.Time // of one that is lent
}

// publicCopies is how many copies the public is told of at most, of a title and of a page of titles.
const publicCopies = 1000

// PublicCopies gives the copies of titles that are not for staff alone, free ones first.
func PublicCopies(tx *store.Tx, titles []int64) ([]PublicCopy, error) {
	return store.List[PublicCopy](tx, `SELECT i.title_id, CASE WHEN f.free THEN i.at_branch ELSE i.branch_code END AS branch_code, i.material,
			i.collection, i.call_number AS call, f.free, l.id IS NOT NULL AS lent, l.due_date AS due
		FROM items i CROSS JOIN LATERAL (SELECT `+FreeItem+` AS free) f
		LEFT JOIN loans l ON l.item_id = i.id AND l.returned_at IS NULL AND l.lost_at IS NULL
		WHERE i.title_id = ANY($1) AND i.standing IN ('in_use', 'aside') AND `+publicItem+`
		ORDER BY f.free DESC, branch_code, i.call_number, l.due_date, i.id LIMIT $2`, titles, publicCopies)
}

// TitleFound is a title with how its copies stand. Rank is the less, the better it fits.
type TitleFound struct {
	ID, Rank, Copies, Here, In, Waiting int64
	Name, Author, Edition               string
	Year                                int
	Cover                               bool
}

// fits is how well a title fits words, from 0: its name is just that, begins so, has words that begin so, has them in it, or
// they stand elsewhere in it. Whole and words are numbers of arguments.
func fits(whole, first, count int) string {
	each := func(in, before string) string {
		var parts []string
		for k := range count {
			parts = append(parts, fmt.Sprintf("%s LIKE '%%%s' || $%d", in, before, first+k)) // the argument ends with %
		}
		return strings.Join(parts, " AND ")
	}
	return fmt.Sprintf(
		`CASE WHEN lower(t.name) = $%[1]d THEN 0 WHEN starts_with(lower(t.name), $%[1]d) THEN 1
		WHEN %s THEN 2 WHEN %s THEN 3 WHEN %s THEN 4 ELSE 5 END::bigint`,
		whole,
		each("' ' || lower(t.name)", " "),
		each("' ' || lower(t.name || ' ' || t.author)", " "),
		each("lower(t.name)", ""),
	)
}

// ranked is how many titles with common words are put in order at most. Those whose name begins with them are always there.
const ranked = 2000

// FindTitles gives a page of the titles that match, the best first. Of words so common that more titles have them than
// can be put in order, those that were added last are.
func FindTitles(tx *store.Tx, s TitleSearch, page store.Page) ([]TitleFound, store.Page, error) {
	page.Words = true
	words := strings.Fields(strings.ToLower(s.Words))
	if len(words) == 0 {
		return []TitleFound{}, page, nil
	}
	where, args := store.WordsIn("t.words", s.Words)
	where += " AND " + s.narrowed(&args)
	begin := len(args) + 1
	for _, w := range words {
		args = append(args, store.Like(w)+"%")
	}
	whole := len(args) + 1
	args = append(args, strings.Join(words, " "))
	begins := len(args) + 1
	args = append(args, store.Like(strings.Join(words, " "))+"%")
	here := len(args) + 1
	args = append(args, s.Here)
	only := ""
	if s.Public {
		only = " AND " + publicItem
	}
	query := fmt.Sprintf(
		`SELECT t.id, t.rank, t.name, t.author, t.edition, coalesce(t.year, 0) AS year, n.copies, n.here, n."in",
			(SELECT count(*) FROM holds h WHERE h.title_id = t.id AND h.state = 'waiting') AS waiting,
			EXISTS (SELECT 1 FROM covers c WHERE c.title_id = t.id) AS cover
		FROM (SELECT * FROM (SELECT t.*, %[1]s AS rank FROM (
				(SELECT t.id, t.name, t.author, t.edition, t.year FROM titles t
					WHERE %[2]s ORDER BY t.id DESC LIMIT %[3]d)
				UNION (SELECT t.id, t.name, t.author, t.edition, t.year FROM titles t
					WHERE lower(t.name) COLLATE "C" LIKE $%[4]d AND %[2]s
					ORDER BY lower(t.name) COLLATE "C", t.id LIMIT %[3]d)) t) t
			WHERE $%[5]d::bigint = $%[5]d AND (t.rank, t.name, t.id) >
				(CASE WHEN $%[7]d::bigint = 0 THEN -1 ELSE $%[5]d END, $%[6]d::text, $%[7]d::bigint)
			ORDER BY t.rank, t.name, t.id LIMIT %[8]d) t
		LEFT JOIN LATERAL (SELECT count(*) AS copies, count(*) FILTER (WHERE f.free) AS "in",
			count(*) FILTER (WHERE f.free AND f.at_branch = $%[9]d) AS here FROM
			(SELECT i.at_branch, %[10]s AS free FROM items i WHERE i.title_id = t.id
				AND i.standing <> 'withdrawn'%[11]s) f) n ON true
		ORDER BY t.rank, t.name, t.id`,
		fits(whole, begin, len(words)),
		where,
		ranked,
		begins,
		len(args)+1,
		len(args)+2,
		len(args)+3,
		store.PageMost+1,
		here,
		FreeItem,
		only,
	)
	return store.Paged(tx, page, func(b *TitleFound) store.Cursor { return store.Cursor{Rank: b.Rank, Text: b.Name, ID: b.ID} }, query, args...)
}

// publicItem is the condition that an item i is ours, and of a collection that is not for staff alone.
const publicItem = `i.material <> 'interlibrary' AND NOT EXISTS (SELECT 1 FROM classes k WHERE k.kind = 'collection' AND k.code = i.collection AND k.staff_only)`

// narrowed is the condition beside the words.
func (s *TitleSearch) narrowed(args *[]any) string {
	parts := []string{"true"}
	arg := func(value any) int {
		*args = append(*args, value)
		return len(*args)
	}
	if s.From != 0 {
		parts = append(parts, fmt.Sprintf("t.year >= $%d", arg(s.From)))
	}
	if s.To != 0 {
		parts = append(parts, fmt.Sprintf("t.year <= $%d", arg(s.To)))
	}
	var copies []string
	if s.Branch != "" {
		copies = append(copies, fmt.Sprintf("i.branch_code = $%d", arg(s.Branch)))
	}
	if s.Collection != "" {
		copies = append(copies, fmt.Sprintf("i.collection = $%d", arg(s.Collection)))
	}
	if s.Material != "" {
		copies = append(copies, fmt.Sprintf("i.material = $%d", arg(s.Material)))
	}
	if s.Public {
		copies = append(copies, publicItem)
	}
	if copies != nil {
		parts = append(
			parts,
			"EXISTS (SELECT 1 FROM items i WHERE i.title_id = t.id AND i.standing <> 'withdrawn' AND "+
				strings.Join(copies, " AND ")+")",
		)
	}
	return strings.Join(parts, " AND ")
}

// WordsLike gives words of names and authors that look like one which is none of them, those that look most like it first.
func WordsLike(tx *store.Tx, word string, most int) ([]string, error) {
	q := &store.Questions{}
	store.Do(q, "SET LOCAL pg_trgm.similarity_threshold = 0.2")
	var out []string
	store.AskEach(
		q,
		&out,
		`SELECT word FROM title_words WHERE word % $1 ORDER BY similarity(word, $1) DESC, word LIMIT $2`,
		word,
		most,
	)
	return out, tx.Send(q)
}

// KnownWords gives those of some words that stand in names or authors, as a whole or as the beginning of a word.
func KnownWords(tx *store.Tx, words []string) ([]string, error) {
	return store.Each[string](
		tx,
		`SELECT w FROM unnest($1::text[]) w WHERE EXISTS (SELECT 1 FROM title_words k WHERE k.word = w)`,
		words,
	)
}

// TitleColumns are the columns of a Title, of titles t.
const TitleColumns = `t.id, t.name, t.author, t.isbn, t.year, t.numbers, t.edition, t.publisher, t.language, t.series, t.subjects,
	t.summary, t.extent, t.record, t.source, t.revision`

// TitleShown is a title with what is known of its copies.
type TitleShown struct {
	Title
	Copies, Free, Waiting int64
	Cover                 bool
}

// OneTitle gives a title; nil where there is none.
func OneTitle(tx *store.Tx, id int64) (*TitleShown, error) {
	return store.One[TitleShown](tx, `SELECT `+TitleColumns+`,
		(SELECT count(*) FROM items i WHERE i.title_id = t.id AND i.standing <> 'withdrawn') AS copies,
		(SELECT count(*) FROM items i WHERE i.title_id = t.id AND `+FreeItem+`) AS free,
		(SELECT count(*) FROM holds h WHERE h.title_id = t.id AND h.state = 'waiting') AS waiting,
		EXISTS (SELECT 1 FROM covers c WHERE c.title_id = t.id) AS cover
		FROM titles t WHERE t.id = $1`, id)
}

// TitleLocked locks a title and gives it; nil where there is none.
func TitleLocked(tx *store.Tx, id int64) (*Title, error) {
	q := &store.Questions{}
	tx.LockFirst(store.Lock{Titles: []int64{id}}, q)
	var rows []Title
	store.Ask(q, &rows, "SELECT "+TitleColumns+" FROM titles t WHERE t.id = $1", id)
	if err := tx.Send(q); err != nil || len(rows) == 0 {
		return nil, err
	}
	return &rows[0], nil
}

// TitlesByISBN gives the titles that have an ISBN as their first number.
func TitlesByISBN(tx *store.Tx, isbn string) ([]Title, error) {
	return store.List[Title](tx, "SELECT "+TitleColumns+" FROM titles t WHERE t.isbn = $1 ORDER BY t.id LIMIT 20", isbn)
}

// TitleFrom gives the title whose record came from a source under a number; nil where there is none.
func TitleFrom(tx *store.Tx, source string) (*Title, error) {
	return store.One[Title](tx, "SELECT "+TitleColumns+" FROM titles t WHERE t.source = $1 AND t.source <> ''", source)
}

// AddTitle writes a title and gives it its id.
func AddTitle(tx *store.Tx, b *Title) error { return tx.ORM().Create(b).Error }

// ChangeTitle writes a title anew, as long as it is at the revision that it was read at; ErrMoved otherwise.
func ChangeTitle(tx *store.Tx, b *Title) {
	tx.QueueOne(
		`UPDATE titles SET name = $2, author = $3, isbn = $4, year = $5, numbers = $6, edition = $7, publisher = $8,
			language = $9, series = $10, subjects = $11, summary = $12, extent = $13, record = $14, source = $15,
			revision = revision + 1 WHERE id = $1 AND revision = $16`,
		b.ID,
		b.Name,
		b.Author,
		b.ISBN,
		b.Year,
		b.Numbers,
		b.Edition,
		b.Publisher,
		b.Language,
		b.Series,
		b.Subjects,
		b.Summary,
		b.Extent,
		b.Record,
		b.Source,
		b.Revision,
	)
}

// Cover is a picture of what is on the front of a title.
type Cover struct {
	Kind    string
	Picture []byte
}

// CoverOf gives the cover of a title; nil where there is none.
func CoverOf(tx *store.Tx, title int64) (*Cover, error) {
	return store.One[Cover](tx, "SELECT kind, picture FROM covers WHERE title_id = $1", title)
}

// KeepCover writes the cover of a title.
func KeepCover(tx *store.Tx, title int64, c Cover) {
	tx.QueueOne(`INSERT INTO covers (title_id, kind, picture) VALUES ($1, $2, $3)
		ON CONFLICT (title_id) DO UPDATE SET kind = $2, picture = $3`, title, c.Kind, c.Picture)
}
