package supply

// What a look at a lot can say; "" where nobody looked.
var (
	LotReady  = []string{"ready", "watch", "not ready"}
	LotRoots  = []string{"", "fibrous and moist", "dry", "sour", "girdled or kinked", "not seen"}
	LotBark   = []string{"", "bright", "dull", "shrivelled", "cankered"}
	LotLeaves = []string{"", "no leaves", "dark, fresh tips", "yellow", "dried tips"}
)
