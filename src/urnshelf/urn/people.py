"""Invented names of people; each was looked up in lists of given and family names, places and
words, and is in none of them.
"""

GIVEN = tuple(
    """
    Abeladis Abelette Abeliel Abelimar Abelira Abelor Abelovar Abelulf Anseladis Anselaude
    Anseleth Anselette Anselimar Anselor Anselune Ardovane Ardovarin Ardoviel Ardovosk Ardovulf
    Belquadis Belquane Belquette Belquolin Beluvane Beluvar Beluvira Beluvosk Birovanor Birovar
    Birovarin Birovira Birovor Calvane Calvarin Calvelle Calvulf Coruvane Coruvimar Corvane
    Corvaude Corvolin Corvune Delmovane Delmovar Delmoviel Delmovira Denovaude Denoveth Denovor
    Denovosk Denovovar Denovulf Denovune Dorvanor Dorvar Dorvette Dorvise Dorvosk Edmovane
    Edmovolin Edmovovar Eldovar Eldovarin Eldovelle Eldovimar Elvaraude Elvarin Falorar
    Falorarin Faloraude Faloreth Faloriel Falorin Farune Farvira Farvosk Fennarin Fennelle
    Fennimar Fennosk Fürvane Garvise Garvune Griselulf Griselune Haladis Halanor Halarin Halolin
    Halune Hestorane Hestoriel Hestorise Hestorosk Hestorulf Holvane Holvanor Holvar Holviel
    Holvor Holvovar Häldorin Ilvane Ilveth Isterane Isterimar Isterise Isterolin Isteror
    Isterulf Isterune Jalmanor Jalmiel Jalmise Jalmovar Jorvadis Jorvelle Jorveth Jorvira
    Jorvise Jorvulf Jorvune Jørvelin Kelmadis Kelmane Kelmar Kelmiel Kelmira Kelmor Kelmosk
    Kelmovar Kélmova Linovelle Linovette Linovor Linovulf Lunovadis Lunovaude Lunovel Lunovelle
    Lunovolin Lunovosk Lunovune Løvaris Marvane Marvira Marvosk Marvovar Marvulf Mirvanor Mirvar
    Mirvelle Mirvimar Mirvise Nalvanor Nalvette Nalvimar Nalvise Norveleth Norveliel Norvelosk
    Norvelulf Norvelune Nørvune Olvanor Olvanune Orvelolin Pelovadis Pelovarin Pelovelle
    Peloveth Pelovolin Pelovovar Pelovulf Pelune Pørelune Quorar Quorarin Quoriel Quorin Quorise
    Quorolin Quorune Quévorin Ranvelira Ranvelor Ranvelune Runelane Runelaude Runelelle Runeleth
    Runelimar Runelosk Runelulf Rønvelor Sarnovira Sarnovise Sarnovor Solvadis Solvane Solviel
    Solvimar Solvise Solvovar Solvulf Sølvane Tilmar Tilmaude Tilmise Tilmovar Torvelune
    Tørvelin Ulvane Ulvaude Ulvor Velmorane Vesperane Vespereth Vesperiel Vesperor Vesperulf
    Vélmorin Wilune Wilvane Wilvanor Wilvaude Wilvelle Wilviel Wilvolin Wilvosk Wilvulf Yaranor
    Yarelle Yårelle Zelvadis Zelvane Zelvanor Zelvarin Zelvaude Zelveth Zelvimar Åldovar Æskovar
    Çelvane Éldune Élvarine Ísvelar Ñelvane Ólvanor Ørvelin Ülvanor Łunovar Škorvune Žélvarin
    """.split()
)

FAMILY = tuple(
    """
    Aldergarth Aldergull Alderspurr Alderthwaite Alderway Anchorbourne Anchorheron Anchorholm
    Anchorreef Anchorspar Anchorthwaite Anchorwater Anchorway Anchorwether Beaconfell Beaconholt
    Beaconspar Beaconsund Beaconway Beaconwether Breakerbeck Breakerheron Breakerholm
    Breakerholt Breakerstrand Breakerwater Brækkeby Buoyby Buoyheron Buoyholt Buoyquay Buoyshoal
    Buoyspurr Buoysund Buoythwaite Buoywether Coldby Coldgarth Coldheron Coldquay Coldquill
    Coldshoal Cormorby Cormorgarth Cormorheron Cormorquill Cormorshoal Cormorspar Cormorspurr
    Cormorsund Cormorthwaite Cormorway Cormorwether Curlewbeck Curlewfell Curlewsund Curlewwick
    Driftbeck Driftgarth Driftholm Driftreef Driftstrand Dunfell Dunheron Dunway Düneholt
    Eiderbeck Eidergarth Eiderholm Eiderspar Eiderwater Emberbeck Emberfell Embergull Embermark
    Emberquay Emberspurr Fairby Fairgull Fairholt Fairmark Fairquill Fairrigg Fairspar Fairsund
    Featherquay Featherspurr Feathersund Featherwater Featherwether Fjællwick Galegull Galeholt
    Galequill Galereef Galespar Galesund Galethwaite Galewell Gannetbeck Gannetby Gannetfell
    Gannetgull Gannetholm Gannetsund Greymark Greyquay Greyrigg Greyspar Greystrand Grünquay
    Gullfell Gullmark Gullreef Gullrigg Gullshoal Gullspurr Gåsreef Harbourgarth Harbourholm
    Harbourmoor Harbourreef Harbourspar Harbourstrand Harbourwick Havstrønd Heronbourne
    Heronreef Heronrigg Heronshoal Heronspar Heronwater Herringholm Herringholt Herringspurr
    Herringway Herringwell Highgarth Highhollow Highmark Highreef Highspurr Highstrand Hålmspar
    Keelfell Keelford Keelheron Keelholm Keelholt Keelmoor Keelrigg Keelstrand Keelsund Keelwell
    Kjølgård Lanternby Lanternfell Lanternheron Ledgestrand Longbeck Longrigg Longshoal
    Loongarth Loongull Loonreef Loonspurr Loonway Loonwell Lødsholm Mastford Mastheron Mastholt
    Mastmark Mastquill Mastshoal Mastwell Merlinby Merlinford Merlinmark Merlinquay Merlinquill
    Merlinrigg Merlinthwaite Måstgård Näsgull Oargull Oarheron Oarholm Oarreef Oarsund
    Otterheron Otterquay Otterrigg Palebuoy Paleholt Palemark Palerigg Palestrand Paleway
    Palewell Petrelby Petrelfell Petrelholt Petrelquill Petrelsund Petrelthwaite Plovergarth
    Ploverheron Ploverhollow Plovermoor Ploverreef Ploversund Ploverwell Ploverwick Quaygarth
    Quaygull Quayquill Quayrigg Quaysund Quaywater Reefbourne Reefby Reefholm Reefmark Reefmoor
    Reefquill Reefwell Ropebeck Ropegarth Ropeholt Ropeshoal Ropespurr Ropethwaite Ropewether
    Ropewick Ruddergarth Ruddergull Rudderholm Ruddermoor Rudderspar Rudderwether Rudderwick
    Rørbeck Saltbeck Salthollow Saltstrand Saltwick Sealgarth Sealholm Sealmark Sealquill
    Sealstrand Sealsund Sealway Sealwick Shoalbeck Shoalheron Shoalhollow Shoalquay Shoalquill
    Sparfell Sparmark Sparquill Sparwater Sparwell Squallby Squallmark Squallquill Squallreef
    Squallrigg Squallshoal Squallspurr Squallthwaite Squallwick Swellbeck Swellbourne
    Swellhollow Swellmark Swellmoor Swellshoal Swellwether Swellwick Sæterwake Søkelholm
    Tarbourne Tarfell Tarwether Terngarth Terngull Ternholm Ternmark Ternström-Wake Ternwater
    Ternwick Tidebourne Tideford Tidehollow Tidequill Tidereef Tårngull Værholm Wakeholt
    Wakemoor Wakequill Wakestrand Wakethwaite Wakeway Ålderstrand Æbleskær Öystersund
    """.split()
)
