package notices

import (
	"nevrin/core/plan"
	"nevrin/core/speech"
)

// usual are the wordings that come with Nevrin, by their codes.
var usual = map[string]*plan.Wording{}

// Usual gives the wording that comes with Nevrin under a code; nil where there is none.
func Usual(code string) *plan.Wording { return usual[code] }

func init() {
	for _, w := range []struct {
		code, name string
		kind       plan.Kind
		en, fr     plan.Text
	}{
		{plan.Frame, "Around every message", "",
			plan.Text{
				Subject: "{{ network }}: {{ count }}",
				Body: "Dear {{ name }},\n\n{{ text }}\n{% if owed != \"\" %}You owe {{ owed }}.\n\n{% endif %}" +
					"{% if page != \"\" %}Renew, and see your account: {{ page }}\n\n{% endif %}" + sign +
					"{% if stop != \"\" %}\nNo more notices about holds: {{ stop }}\n{% endif %}",
				Short: "{{ network }}: {{ text }}", Spoken: "This is {{ network }}, with a message for {{ name }}. {{ text }}",
			},
			plan.Text{
				Subject: "{{ network }} : {{ count }}",
				Body: "Bonjour {{ name }},\n\n{{ text }}\n{% if owed != \"\" %}Vous devez {{ owed }}.\n\n{% endif %}" +
					"{% if page != \"\" %}Prolonger un prêt et consulter votre compte : {{ page }}\n\n{% endif %}" + sign +
					"{% if stop != \"\" %}\nNe plus recevoir d'avis de réservation : {{ stop }}\n{% endif %}",
				Short: "{{ network }}: {{ text }}", Spoken: "Ici {{ network }}, un message pour {{ name }}. {{ text }}",
			}},
		{"before_due", "Due soon", plan.BeforeDue,
			texts("{% if number == 1 %}An item is{% else %}{{ count }} are{% endif %} due soon", "This is due soon:\n\n"+lentEN,
				"Due soon: {{ list }}."),
			texts("{% if number == 1 %}Un document est{% else %}{{ count }} sont{% endif %} à rendre bientôt", "À rendre bientôt :\n\n"+lentFR,
				"À rendre bientôt: {{ list }}.")},
		{"due_today", "Due today", plan.DueToday,
			texts("{% if number == 1 %}An item is{% else %}{{ count }} are{% endif %} due today", "This is due today:\n\n"+lentEN, "Due today: {{ list }}."),
			texts("{% if number == 1 %}Un document est{% else %}{{ count }} sont{% endif %} à rendre aujourd'hui", "À rendre aujourd'hui :\n\n"+lentFR,
				"À rendre aujourd'hui: {{ list }}.")},
		{"overdue", "Overdue", plan.Overdue,
			texts("Please return {{ count }}",
				"This is overdue:\n\n"+lentEN+"\nIf you have already returned it, thank you. Please ignore this message.", "Overdue: {{ list }}. Please return."),
			texts("À rendre : {{ count }}",
				"Ces documents sont en retard :\n\n"+lentFR+"\nSi vous les avez déjà rendus, merci, et ne tenez pas compte de ce message.",
				"En retard: {{ list }}. Merci de rendre.")},
		{"overdue_again", "Overdue, again", plan.Overdue,
			texts("Overdue: please return {{ count }}",
				"We have written to you about this before. Other patrons may be waiting for it:\n\n"+lentEN+
					"\nPlease return it to any branch, or contact us.", "Still overdue: {{ list }}. Please return it or call us."),
			texts("Rappel : à rendre, {{ count }}",
				"Nous vous avons déjà écrit à ce sujet. D'autres personnes attendent peut-être ces documents :\n\n"+lentFR+
					"\nVeuillez les rendre dans l'une de nos bibliothèques, ou communiquer avec nous.",
				"Toujours en retard: {{ list }}. Merci de rendre ou d'appeler.")},
		{"lost", "Lost, with its bill", plan.Lost,
			texts("Lost: {{ count }}", "This was not returned and has been marked lost. Its price was added to your account:\n\n"+lentEN+
				"\nIf you still have it, please return it: most of the bill is then cancelled.", "Marked lost and billed: {{ list }}. Please return it."),
			texts("Perdu : {{ count }}", "Ces documents n'ont pas été rendus et sont tenus pour perdus. Leur prix a été porté à votre compte :\n\n"+lentFR+
				"\nSi vous les avez encore, veuillez les rendre : la plus grande partie de la facture sera annulée.",
				"Tenu pour perdu et facturé: {{ list }}. Merci de rendre.")},
		{"renewal_refused", "Renewal refused", plan.RenewalRefused,
			texts("Not renewed: {{ count }}", "This could not be renewed, since somebody waits for it:\n\n"+lentEN+"\nPlease return it when it is due.",
				"Not renewed, somebody waits: {{ list }}."),
			texts("Non prolongé : {{ count }}", "Ce prêt n'a pas pu être prolongé, car quelqu'un attend le document :\n\n"+lentFR+
				"\nVeuillez le rendre à la date prévue.", "Non prolongé, quelqu'un attend: {{ list }}.")},
		{"hold_ready", "Hold ready", plan.HoldReady,
			texts("Ready for you: {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}", "This waits for you:\n\n"+shelvedEN,
				"Ready at {{ branch }} until {{ until }}: {{ list }}."),
			texts("À votre disposition : {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}", "Ceci vous attend :\n\n"+shelvedFR,
				"Prêt à {{ branch }} jusqu'au {{ until }}: {{ list }}.")},
		{"ill_arrived", "Interlibrary loan arrived", plan.IllArrived,
			texts("Arrived for you: {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}",
				"What you asked for has arrived from another library:\n\n"+shelvedEN, "Arrived from another library, at {{ branch }} until {{ until }}: {{ list }}."),
			texts("Arrivé pour vous : {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}",
				"Ce que vous avez demandé est arrivé d'une autre bibliothèque :\n\n"+shelvedFR,
				"Arrivé d'une autre bibliothèque, à {{ branch }} jusqu'au {{ until }}: {{ list }}.")},
		{"hold_expiring", "Hold about to expire", plan.HoldExpiring,
			texts("Waiting for you until {{ until }}", "This still waits for you and will soon be given to others:\n\n"+shelvedEN,
				"Waiting at {{ branch }} only until {{ until }}: {{ list }}."),
			texts("Vous attend jusqu'au {{ until }}", "Ceci vous attend encore et sera bientôt offert à d'autres :\n\n"+shelvedFR,
				"Vous attend à {{ branch }} jusqu'au {{ until }}: {{ list }}.")},
		{"hold_expired", "Hold expired", plan.HoldExpired,
			texts("Not picked up: {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}",
				"This was not picked up in time and no longer waits for you:\n\n"+titled, "Not picked up, no longer waiting: {{ list }}."),
			texts("Non retiré : {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}",
				"Ceci n'a pas été retiré à temps et ne vous attend plus :\n\n"+titled, "Non retiré, ne vous attend plus: {{ list }}.")},
		{"hold_cancelled", "Hold cancelled", plan.HoldCancelled,
			texts("Cancelled: {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}",
				"We cannot fill this hold, and have cancelled it:\n\n"+titled, "Hold cancelled: {{ list }}."),
			texts("Annulé : {% if number == 1 %}{{ title }}{% else %}{{ count }}{% endif %}",
				"Nous ne pouvons pas satisfaire cette réservation et l'avons annulée :\n\n"+titled, "Réservation annulée: {{ list }}.")},
		{"card_expiring", "Card about to expire", plan.CardExpiring,
			texts("Your library card expires on {{ card_until }}", "Your library card expires on {{ card_until }}. Visit any branch to renew it.",
				"Your library card expires on {{ card_until }}. Visit any branch to renew it."),
			texts("Votre carte expire le {{ card_until }}",
				"Votre carte de bibliothèque expire le {{ card_until }}. Passez dans l'une de nos bibliothèques pour la renouveler.",
				"Votre carte expire le {{ card_until }}. Passez la renouveler.")},
		{"membership", "Membership renewed", plan.Membership,
			texts("Your library card is valid until {{ card_until }}", "Your library card was renewed and is valid until {{ card_until }}.",
				"Your library card is valid until {{ card_until }}."),
			texts("Votre carte est valable jusqu'au {{ card_until }}", "Votre carte de bibliothèque a été renouvelée. Elle est valable jusqu'au {{ card_until }}.",
				"Votre carte est valable jusqu'au {{ card_until }}.")},
		{"sign_up", "Sign-up received", plan.SignUp,
			texts("Welcome to {{ network }}", "We have received your registration. Bring proof of your address to {{ branch }} on your first visit.",
				"Registration received. Bring proof of address to {{ branch }}."),
			texts("Bienvenue : {{ network }}", "Nous avons reçu votre inscription. Apportez un justificatif de domicile à {{ branch }} lors de votre première visite.",
				"Inscription reçue. Apportez un justificatif de domicile à {{ branch }}.")},
		{"details", "Details to confirm", plan.Details,
			texts("Are your details still right?",
				"Please tell us on your next visit, or by an answer to this message, whether your address, telephone number and email address are still the same.",
				"Please confirm your address, phone and email on your next visit."),
			texts("Vos coordonnées sont-elles à jour?",
				"Dites-nous lors de votre prochaine visite, ou en répondant à ce message, si votre adresse, votre téléphone et votre adresse électronique sont toujours les mêmes.",
				"Merci de confirmer adresse, téléphone et courriel à votre prochaine visite.")},
		{"owed", "Charges", plan.Owed,
			texts("You owe {{ owed }}", "The charges on your account have reached {{ owed }}. Please pay at any branch.", "You owe {{ owed }}. Please pay at any branch."),
			texts("Vous devez {{ owed }}", "Les frais portés à votre compte ont atteint {{ owed }}. Veuillez payer dans l'une de nos bibliothèques.",
				"Vous devez {{ owed }}. Merci de payer dans une bibliothèque.")},
		{"receipt", "Receipt", plan.Receipt,
			texts("Lent to you at {{ branch }}", "This was lent to you today at {{ branch }}:\n\n"+lentEN, "Lent today: {{ list }}."),
			texts("Prêté à {{ branch }}", "Ceci vous a été prêté aujourd'hui à {{ branch }} :\n\n"+lentFR, "Prêté aujourd'hui: {{ list }}.")},
	} {
		usual[w.code] = &plan.Wording{Name: w.name, Kind: w.kind, Texts: map[string]plan.Text{string(speech.English): w.en, string(speech.French): w.fr}}
	}
}

// texts are those of one language. On the telephone it is said as in a text message.
func texts(subject, body, short string) plan.Text {
	return plan.Text{Subject: subject, Body: body, Short: short, Spoken: short}
}

// Parts of the usual wordings.
const (
	sign = "{{ branch }}{% if branch_phone != \"\" %}, {{ branch_phone }}{% endif %}" +
		"{% if branch_address != \"\" %}\n{{ branch_address }}{% endif %}\n{{ network }}\n"
	titled = "{% for i in items %}  {{ i.title }}{% if i.author != \"\" %}, {{ i.author }}{% endif %}\n{% endfor %}"

	lentEN = "{% for i in items %}  {{ i.title }}{% if i.author != \"\" %}, {{ i.author }}{% endif %}\n" +
		"    {{ i.barcode }}, due {{ i.due }} ({{ i.branch }}){% if i.for != \"\" %}, for {{ i.for }}{% endif %}\n{% endfor %}"
	lentFR = "{% for i in items %}  {{ i.title }}{% if i.author != \"\" %}, {{ i.author }}{% endif %}\n" +
		"    {{ i.barcode }}, à rendre le {{ i.due }} ({{ i.branch }}){% if i.for != \"\" %}, pour {{ i.for }}{% endif %}\n{% endfor %}"
	shelvedEN = "{% for i in items %}  {{ i.title }}{% if i.author != \"\" %}, {{ i.author }}{% endif %}\n" +
		"    at {{ i.branch }} until {{ i.until }}{% if i.for != \"\" %}, for {{ i.for }}{% endif %}\n{% endfor %}"
	shelvedFR = "{% for i in items %}  {{ i.title }}{% if i.author != \"\" %}, {{ i.author }}{% endif %}\n" +
		"    à {{ i.branch }} jusqu'au {{ i.until }}{% if i.for != \"\" %}, pour {{ i.for }}{% endif %}\n{% endfor %}"
)
