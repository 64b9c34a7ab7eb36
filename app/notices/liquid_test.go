package notices

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Wordings are written in Liquid. These are the examples of its published reference (shopify.github.io/liquid) for all tags, filters and
// operators that a wording may use, from memory, with what they make. What the library has otherwise is refused: and beside or, blank, empty.
func TestLiquidIsAsPublished(t *testing.T) {
	type object = map[string]any
	const tom = "Ground control to Major Tom."
	products := []object{{"title": "hat"}, {"title": "shirt"}, {"title": "pants"}}
	numbers := []int{1, 2, 3, 4, 5, 6}
	fruit := `{% case handle %}{% when "cake" %}This is a cake{% when "cookie", "biscuit" %}This is a cookie{% else %}This is not a cake nor a cookie{% endcase %}`
	greets := `{% if customer.name == "kevin" %}Hey Kevin!{% elsif customer.name == "anonymous" %}Hey Anonymous!{% else %}Hi Stranger!{% endif %}`
	long := "{%- if username and username.size > 10 -%}\n  Wow, {{ username }}, you have a long name!\n{%- else -%}\n  Hello there!\n{%- endif -%}"
	for _, c := range []struct {
		template string
		with     object
		makes    string
	}{
		{`{{ "/my/fancy/url" | append: ".html" }}`, nil, "/my/fancy/url.html"},
		{`{{ "website.com" | append: filename }}`, object{"filename": "/index.html"}, "website.com/index.html"},
		{`{{ "title" | capitalize }}`, nil, "Title"},
		{`{{ product_price | default: 2.99 }}`, object{"product_price": nil}, "2.99"},
		{`{{ product_price | default: 2.99 }}`, object{"product_price": 4.99}, "4.99"},
		{`{{ product_price | default: 2.99 }}`, object{"product_price": ""}, "2.99"},
		{`{{ "Parker Moore" | downcase }}`, nil, "parker moore"},
		{`{{ "apple" | downcase }}`, nil, "apple"},
		{`{{ words | first }}`, object{"words": strings.Fields(tom)}, "Ground"},
		{`{% if my_array.first == "zebra" %}Here comes a zebra!{% endif %}`, object{"my_array": []string{"zebra", "octopus"}}, "Here comes a zebra!"},
		{`{{ beatles | join: " and " }}`, object{"beatles": []string{"John", "Paul", "George", "Ringo"}}, "John and Paul and George and Ringo"},
		{`{{ words | last }}`, object{"words": strings.Fields(tom)}, "Tom."},
		{`{{ "apples, oranges, and bananas" | prepend: "Some fruit: " }}`, nil, "Some fruit: apples, oranges, and bananas"},
		{`{{ "Ground control to Major Tom." | size }}`, nil, "28"},
		{`{{ my_array | size }}`, object{"my_array": []string{"apples", "oranges", "peaches", "plums"}}, "4"},
		{`{{ "          So much room for activities          " | strip }}!`, nil, "So much room for activities!"},
		{`{{ "Ground control to Major Tom." | truncate: 20 }}`, nil, "Ground control to..."},
		{`{{ "Ground control to Major Tom." | truncate: 25, ", and so on" }}`, nil, "Ground control, and so on"},
		{`{{ "Ground control to Major Tom." | truncate: 20, "" }}`, nil, "Ground control to Ma"},
		{`{{ "Ground control to Major Tom." | truncatewords: 3 }}`, nil, "Ground control to..."},
		{`{{ "Ground control to Major Tom." | truncatewords: 3, "--" }}`, nil, "Ground control to--"},
		{`{{ "Ground control to Major Tom." | truncatewords: 3, "" }}`, nil, "Ground control to"},
		{`{{ "Parker Moore" | upcase }}`, nil, "PARKER MOORE"},
		{`{{ "APPLE" | upcase }}`, nil, "APPLE"},
		{`{{ "MY GREAT TITLE" | capitalize }}`, nil, "My great title"},

		{`{% if product.title == "Awesome Shoes" %}These shoes are awesome!{% endif %}`, object{"product": object{"title": "Awesome Shoes"}}, "These shoes are awesome!"},
		{`{% unless product.title == "Awesome Shoes" %}These shoes are not awesome.{% endunless %}`, object{"product": object{"title": "Plain"}}, "These shoes are not awesome."},
		{greets, object{"customer": object{"name": "anonymous"}}, "Hey Anonymous!"},
		{greets, object{"customer": object{"name": "kevin"}}, "Hey Kevin!"},
		{greets, object{"customer": object{"name": "bo"}}, "Hi Stranger!"},
		{fruit, object{"handle": "cake"}, "This is a cake"},
		{fruit, object{"handle": "biscuit"}, "This is a cookie"},
		{fruit, object{"handle": "pie"}, "This is not a cake nor a cookie"},
		{`{% for product in products %}{{ product.title }} {% endfor %}`, object{"products": products}, "hat shirt pants "},
		{`{% for product in products %}{{ product.title }}{% else %}The collection is empty.{% endfor %}`, object{"products": []object{}}, "The collection is empty."},
		{`{% for i in array %}{% if i == 4 %}{% break %}{% else %}{{ i }} {% endif %}{% endfor %}`, object{"array": numbers}, "1 2 3 "},
		{`{% for i in array %}{% if i == 4 %}{% continue %}{% else %}{{ i }} {% endif %}{% endfor %}`, object{"array": numbers[:5]}, "1 2 3 5 "},
		{`{% for item in array limit:2 %}{{ item }} {% endfor %}`, object{"array": numbers}, "1 2 "},
		{`{% for item in array offset:2 %}{{ item }} {% endfor %}`, object{"array": numbers}, "3 4 5 6 "},
		{`{% for item in array reversed %}{{ item }} {% endfor %}`, object{"array": numbers}, "6 5 4 3 2 1 "},
		{`{% for p in array %}{% if forloop.first %}First time through!{% else %}Not the first time.{% endif %}{% endfor %}`, object{"array": numbers[:3]}, "First time through!Not the first time.Not the first time."},
		{`{% for p in array %}{{ p }}{% unless forloop.last %}, {% endunless %}{% endfor %}`, object{"array": numbers[:3]}, "1, 2, 3"},
		{`Anything you put between {% comment %} and {% endcomment %} tags is turned into a comment.`, nil, "Anything you put between  tags is turned into a comment."},
		{`{% raw %}In Handlebars, {{ this }} will be HTML-escaped, but {{{ that }}} will not.{% endraw %}`, nil, "In Handlebars, {{ this }} will be HTML-escaped, but {{{ that }}} will not."},

		{`{% if product.type == "Shirt" or product.type == "Shoes" %}This is a shirt or a pair of shoes.{% endif %}`, object{"product": object{"type": "Shoes"}}, "This is a shirt or a pair of shoes."},
		{`{% if product.title contains "Pack" %}This product's title contains the word Pack.{% endif %}`, object{"product": object{"title": "Six-Pack"}}, "This product's title contains the word Pack."},
		{`{% if product.tags contains "Hello" %}This product has been tagged with "Hello".{% endif %}`, object{"product": object{"tags": []string{"Hello"}}}, `This product has been tagged with "Hello".`},
		{`{% if tobi %}This condition will always be true.{% endif %}`, object{"tobi": "Tobi"}, "This condition will always be true."},
		{`{% if fullname %}<h1>{{ fullname }}</h1>{% endif %}`, object{"fullname": ""}, "<h1></h1>"},
		{`{% if username == nil %}none{% endif %}`, object{"username": nil}, "none"},
		{long, object{"username": "John G. Chalmers-Smith"}, "Wow, John G. Chalmers-Smith, you have a long name!"},
		{long, object{"username": "Bo"}, "Hello there!"},
	} {
		t.Run(c.template, func(t *testing.T) {
			if c.with == nil {
				c.with = object{}
			}
			says, err := write(c.template, c.with)
			require.NoError(t, err)
			assert.Equal(t, c.makes, says)
		})
	}
}
