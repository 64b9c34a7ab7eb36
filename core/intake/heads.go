package intake

import (
	"slices"
	"strings"
	"unicode"

	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"
)

// elsewhere is what columns are called in German, French and Spanish, by the name of the field. Source: common practice, from memory.
var elsewhere = map[string][]string{
	"number":        {"nummer", "benutzernummer", "numero", "numero de lector"},
	"card":          {"karte", "kartennummer", "ausweis", "ausweisnummer", "carte", "numero de carte", "tarjeta", "numero de tarjeta", "carne"},
	"legal_name":    {"nom complet", "nombre completo", "nombre y apellidos"},
	"given_name":    {"vorname", "prenom", "nombre"},
	"family_name":   {"nachname", "familienname", "nom", "nom de famille", "apellido", "apellidos"},
	"born":          {"geburtsdatum", "geboren", "date de naissance", "ne le", "fecha de nacimiento", "nacimiento"},
	"class":         {"benutzergruppe", "gruppe", "categorie", "categoria"},
	"branch":        {"bibliothek", "zweigstelle", "standort", "bibliotheque", "site", "biblioteca", "sucursal", "sede"},
	"standing":      {"zustand", "statut", "estado"},
	"card_until":    {"gultig bis", "ablaufdatum", "valable jusqu'au", "expire le", "valido hasta", "caducidad"},
	"joined_on":     {"angemeldet am", "inscrit le", "date d'inscription", "fecha de alta"},
	"email":         {"e mail adresse", "courriel", "adresse e mail", "correo", "correo electronico"},
	"phone":         {"telefon", "telefonnummer", "telefono"},
	"address":       {"strasse", "anschrift", "adresse", "rue", "direccion", "calle"},
	"postal_code":   {"plz", "postleitzahl", "code postal", "codigo postal"},
	"town":          {"ort", "stadt", "wohnort", "ville", "ciudad", "localidad", "poblacion"},
	"guardian_name": {"erziehungsberechtigte", "eltern", "responsable", "tuteur", "tutor"},
	"school_year":   {"klasse", "schuljahr", "classe", "curso"},
	"notes":         {"bemerkung", "bemerkungen", "remarques", "notas", "observaciones"},
	"title":         {"titel", "titre", "titulo"},
	"author":        {"autor", "verfasser", "auteur"},
	"year":          {"jahr", "erscheinungsjahr", "annee", "ano"},
	"publisher":     {"verlag", "editeur", "editorial"},
	"edition":       {"auflage", "ausgabe", "edicion"},
	"language":      {"sprache", "langue", "idioma"},
	"extent":        {"umfang", "seiten", "paginas", "extension"},
	"series":        {"reihe", "collection editoriale", "serie"},
	"subjects":      {"schlagworter", "sujets", "mots cles", "materias", "temas"},
	"summary":       {"zusammenfassung", "resume", "resumen"},
	"label":         {"strichcode", "mediennummer", "exemplarnummer", "code barres", "codigo de barras"},
	"collection":    {"abteilung", "bereich", "section", "seccion"},
	"material":      {"medienart", "type de document", "tipo de material"},
	"call_number":   {"signatur", "cote", "signatura"},
	"price":         {"preis", "prix", "precio"},
	"added_on":      {"zugang", "zugangsdatum", "date d'entree", "fecha de ingreso"},
	"lent_at":       {"ausgeliehen am", "ausleihdatum", "prete le", "date de pret", "prestado el", "fecha de prestamo"},
	"due_date":      {"fallig", "fallig am", "ruckgabedatum", "leihfrist", "date de retour", "a rendre le", "vence", "fecha de vencimiento", "fecha de devolucion"},
	"renewals":      {"verlangerungen", "prolongations", "renovaciones"},
	"pickup":        {"abholort", "lieu de retrait", "lugar de recogida"},
	"placed_at":     {"vorgemerkt am", "reserve le", "reservado el"},
	"place":         {"rang", "puesto"},
	"left":          {"offen", "betrag", "saldo", "solde", "montant", "importe"},
	"about":         {"art", "motif", "concepto"},
	"charged_at":    {"datum", "fecha"},
	"text":          {"beschreibung", "libelle", "descripcion"},
}

// plain is a head without what tells nothing: case, signs, accents.
func plain(head string) string {
	letters, _, err := transform.String(transform.Chain(norm.NFD, runes.Remove(runes.In(unicode.Mn)), norm.NFC), strings.ToLower(head))
	if err != nil {
		letters = strings.ToLower(head)
	}
	letters = strings.ReplaceAll(letters, "ß", "ss")
	return strings.Join(strings.FieldsFunc(letters, func(r rune) bool { return strings.ContainsRune(" _-./:*", r) }), " ")
}

func (f *Field) isCalled(name string) bool {
	called := func(c string) bool { return plain(c) == name }
	return slices.ContainsFunc(f.called, called) || slices.ContainsFunc(elsewhere[f.Name], called)
}
