package words

// What the band of the year says of itself.
const (
	StocksYear   = "The year of the stock. Today it is %s; %s."
	NoWindowOpen = "no window open"
	WindowsOpen  = "windows open: %s"
)
