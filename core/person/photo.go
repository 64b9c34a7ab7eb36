package person

// NoPhoto tells why no photograph of somebody is kept on their record, in a sentence; empty: it may be. For a minor the guardian has
// to have agreed; who is grown up sits for it, unless they have refused.
func NoPhoto(kept, minor bool, may *bool) string {
	switch {
	case !kept:
		return "This network keeps no photographs of patrons."
	case may != nil && !*may:
		return "Photographs were refused. Record a new consent first."
	case minor && may == nil:
		return "The guardian has to consent. Record their consent to photographs first."
	}
	return ""
}
