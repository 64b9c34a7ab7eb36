package settings

// Outside are the settings of interlibrary loans.
type Outside struct {
	Statement string `json:"statement" maxLength:"1000" doc:"On copyright, for the papers that travel with parcels"`
}

// usualStatement is what papers say where nobody has written anything else.
const usualStatement = "Lent for private study and research. The law of copyright limits what may be copied from it; whoever copies more than it allows is liable. " +
	"Please do not lend it on."
