package words

// Texts of orders, by what they begin with. The English text is the key of its other tongues.
const (
	ChooseTheVarietysGenusFrom = "Choose the variety's genus from the list; %q is not in it."
	ChooseTheStocksGenusFrom   = "Choose the stock's genus from the list; %q is not in it."
	NameTheStockInUp           = "Name the stock, in up to 60 letters."
	CountTheTreesAWhole        = "Count the trees: a whole number from 1 to 1,000,000."
	PriorityIs1First2          = "Priority is 1 (first), 2 or 3."
	GiveTheDayItIs             = "Give the day it is wanted, such as 2028-03-01."
	ChooseASectionFromThe      = "Choose a section from the list."
)
