package demo

import (
	"strings"
)

// The names of the demo are put together from these lists; no one real is meant.
var (
	givenNames = strings.Fields(`Ada Alvar Anouk Aris Bee Birk Brisa Calla Cato Corin Dara Davin Elin Ember Enno Esra Fenna Finn Freya Garo
		Greta Hale Hedda Ilse Imre Ines Iver Jarl Jonah Joris Juno Kaia Kester Kit Lasse Leda Linnea Lorne Luka Mara Mats Merle Mika Mina Nadja Nell
		Nico Odile Olin Orla Oskar Petra Pia Quentin Rafe Rana Rhea Rowan Runa Sable Sanna Signe Sorrel Stellan Tam Tess Thea Tilde Timo Ulla Una
		Veda Vigo Wanda Wim Wren Yara Ylva Yusra Zeno Zofia`)
	familyNames = strings.Fields(`Aldous Arkwright-Bo Barrowby Beckfoot Birchall-Oy Brandreth Calloway Coldharbour Cranmere Dacre-Lund Drummond-Yao
		Eastry Eldfell Fairhaven Farrier Fellgate Garrick-Moe Gullane Hale-Brandt Harcastle Hawksmere Holm-Adeyo Inkpen Isherwell Jessop-Lin Kelderby
		Kestrel-Dunn Kirkwall-Abe Langstrand Larkhill Lindqvist-Roe Loxwood Marchetti-Roe Merrow Mossgiel Nettleship Norrland Oakhanger Orrin-Vale
		Osterby Pell Penhallow-Ito Quarles Quill Ravensworth Rimmer-Osei Rosedale Saltmarsh Sandaker Selwyn-Oto Skarsgate Sorrel Stanmere Strand-Nuri
		Tarnbeck Thistlewood Tolland-Rey Trevose Ulverby Vantongeren Wainfleet Waverley-Ng Westerdale Whitsand Wolfendale Yarrow Zell-Haddad`)
)
