package words

import "fmt"

// What is said of tools.
const (
	ToolName   = "Give the tool a name of 1 to 60 letters, such as knife 3."
	WhoCuts    = "Say whose tool it is."
	NoSuchTool = "Choose a tool that is in use."
)

// ToolThere says that a tool is there already.
func ToolThere(name string, gone bool) string {
	if gone {
		return fmt.Sprintf("%s was there and is out of use: bring it back, or give this one another name.", name)
	}
	return fmt.Sprintf("There is a %s already: give this one another name.", name)
}
