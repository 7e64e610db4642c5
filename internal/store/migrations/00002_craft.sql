-- +goose Up
-- The craft as rows: every number here is a house default that the nursery can change.

create table season_group (
  key  text primary key,
  name text not null,
  sort int not null
);
-- kind: what happens on that day in a usual year at this site.
create table season_anchor (
  season_group text not null references season_group,
  kind         text not null check (kind in ('rest begins', 'bud swell', 'slip begins', 'slip ends',
                 'budwood ripe', 'first hard frost', 'last frost')),
  month        int not null check (month between 1 and 12),
  day          int not null check (day between 1 and 31),
  spread_days  int not null check (spread_days between 0 and 60),
  source       text not null default 'house default',
  primary key (season_group, kind)
);
create table genus (
  key          text primary key,
  name         text not null,
  latin        text not null default '',
  season_group text not null references season_group,
  logit_shift  numeric(4,2) not null
);
create table technique (
  key           text primary key,
  name          text not null,
  sort          int not null,
  stock_states  text not null,
  wood_states   text not null,
  stock_min_mm  numeric(5,2) not null check (stock_min_mm > 0),
  stock_max_mm  numeric(5,2) not null check (stock_max_mm > stock_min_mm),
  ratio_min     numeric(4,2) not null check (ratio_min > 0),
  ratio_max     numeric(4,2) not null check (ratio_max >= ratio_min),
  wider_allowed boolean not null default false,
  cut           text not null,
  buds_min      int not null,
  buds_max      int not null check (buds_max >= buds_min),
  good_for      text not null,
  rate_per_hour int not null check (rate_per_hour > 0),
  prior_take    numeric(4,3) not null check (prior_take > 0 and prior_take < 1),
  prior_weight  int not null default 40 check (prior_weight > 0),
  slope         numeric(4,2) not null check (slope >= 0),
  hand_note     text not null default '',
  in_use        boolean not null default true
);
create table house_way (
  key      text primary key,
  sort     int not null,
  question text not null,
  options  text not null,   -- ' · ' between them, the house default first
  chosen   text not null,
  why      text not null default ''
);
create table tie (
  key          text primary key,
  name         text not null,
  untie        text not null,
  weeks        int
);
create table healing_way (
  key      text primary key,
  name     text not null,
  low_c    numeric(4,1),
  high_c   numeric(4,1),
  days_min int not null,
  days_max int not null
);
create table cause (
  key  text primary key,
  sort int not null
);
create table compatibility (
  scion_genus text not null references genus,
  stock_genus text not null references genus,
  verdict     text not null check (verdict in ('usual', 'with care', 'known bad')),
  note        text not null default '',
  primary key (scion_genus, stock_genus)
);

insert into season_group values
  ('pome', 'Apple, pear, quince', 1), ('stone', 'Plum, cherry, peach', 2), ('nut', 'Chestnut, walnut, hazel', 3),
  ('maple', 'Maple', 4), ('rose', 'Rose', 5), ('climber', 'Wisteria, grape, kiwifruit', 6), ('tender', 'Citrus and other tender', 7);
insert into season_anchor (season_group, kind, month, day, spread_days)
select g, k, m, d, s from (values
  ('pome','rest begins',11,5,8),('pome','bud swell',3,5,9),('pome','slip begins',4,8,8),('pome','slip ends',9,5,10),('pome',
    'budwood ripe',7,5,8),
  ('stone','rest begins',11,8,8),('stone','bud swell',2,24,10),('stone','slip begins',4,2,8),('stone','slip ends',8,28,10),('stone',
    'budwood ripe',6,28,8),
  ('nut','rest begins',11,10,8),('nut','bud swell',3,22,9),('nut','slip begins',4,25,8),('nut','slip ends',9,1,10),('nut','budwood ripe',
    7,20,8),
  ('maple','rest begins',11,1,8),('maple','bud swell',2,26,10),('maple','slip begins',4,5,8),('maple','slip ends',8,31,10),('maple',
    'budwood ripe',7,10,8),
  ('rose','rest begins',11,20,10),('rose','bud swell',2,25,12),('rose','slip begins',4,15,8),('rose','slip ends',9,15,10),('rose',
    'budwood ripe',6,20,8),
  ('climber','rest begins',11,12,8),('climber','bud swell',3,18,9),('climber','slip begins',4,28,8),('climber','slip ends',9,1,10),
    ('climber','budwood ripe',7,15,8),
  ('tender','rest begins',12,10,12),('tender','bud swell',2,20,12),('tender','slip begins',3,25,10),('tender','slip ends',10,10,12),
    ('tender','budwood ripe',6,10,10)
) v(g,k,m,d,s)
union all select key, 'first hard frost', 11, 2, 10 from season_group
union all select key, 'last frost', 5, 6, 10 from season_group;

insert into genus (key, name, latin, season_group, logit_shift) values
  ('apple','apple','Malus','pome',0),('pear','pear','Pyrus','pome',0),('quince','quince','Cydonia','pome',0),
  ('medlar','medlar','Mespilus','pome',0),('hawthorn','hawthorn','Crataegus','pome',0),('plum','plum','Prunus','stone',-0.3),('cherry',
    'cherry','Prunus','stone',-0.4),
  ('apricot','apricot','Prunus','stone',-0.6),('peach','peach','Prunus','stone',-0.9),('walnut','walnut','Juglans','nut',-1.4),
  ('chestnut','chestnut','Castanea','nut',-1.1),('hazel','hazel','Corylus','nut',-1.0),('mulberry','mulberry','Morus','nut',-0.3),
  ('maple','maple','Acer','maple',-0.5),('rose','rose','Rosa','rose',0),('wisteria','wisteria','Wisteria','climber',-1.0),
  ('grape','grape','Vitis','climber',-0.7),('persimmon','persimmon','Diospyros','nut',-0.9),('citrus','citrus','Citrus','tender',0),
  ('kiwifruit','kiwifruit','Actinidia','climber',-0.3),('durian','durian','Durio','tender',-0.4),('pawpaw','pawpaw','Asimina','nut',-0.5);

insert into technique values
 ('splice','splice',1,'resting,waking','resting',5,15,0.85,1.02,false,'face 3–5 × diameter',2,4,'quick, equal wood',45,0.86,40,0.70,
   'Two clean faces, one stroke each. Bind before you let go.',true),
 ('whip-and-tongue','whip and tongue',2,'resting,waking','resting',5,15,0.80,1.02,false,'as splice, tongue from a third below the tip',2,
   4,'strongest young union, equal wood',40,0.91,40,0.60,
   'Flush on the near side. Buds up. No bud behind the cut. Keep fingers off the faces.',true),
 ('cleft-one-side','cleft, one side',3,'resting,waking','resting',8,60,0.30,1.00,false,
   'split 25–40 mm; two-faced wedge about 25 mm, one edge thicker',2,3,'thick stock, hard wood',40,0.84,40,0.10,
   'Thick edge of the wedge outward, its cambium on the stock''s. Seal the whole top.',true),
 ('off-centre-cleft','off-centre cleft',4,'resting,waking','resting',6,30,0.45,1.00,false,
   'split on the chord as wide as the scion; one long bevel, one short back cut',1,2,'thin wood on thicker stock',38,0.85,40,0.10,
   'Split where the stock is as wide as the scion, so both edges meet.',true),
 ('saddle','saddle',5,'resting,waking','resting',6,15,0.92,1.02,false,'stock to a wedge, scion split over it',2,3,
   'equal wood, evergreens',28,0.84,40,0.80,'Seat the scion fully over the wedge before tying.',true),
 ('tool-cut','tool cut',6,'resting','resting',6,13,0.90,1.08,true,'punched profile, slid in from the side, one side flush',2,3,
   'unskilled hands, volume',80,0.80,40,0.80,'Fingers clear of the anvil. Slide in from the side, one side flush.',true),
 ('side-veneer','side veneer',7,'waking','resting',5,20,0.35,1.00,false,'shallow downward slice with a lip; stock top left on',1,3,
   'potted maples, conifers, evergreens',30,0.82,40,0.20,'Leave the top of the stock on. One edge flush, base down on the lip.',true),
 ('bark-flap','bark flap',8,'running','resting,half-ripe',12,80,0.10,0.70,false,'50 mm flap, 25 mm bevel to mid-stem, short back chamfer',
   2,3,'leafy stock, warm climates, big stock',20,0.80,40,0.05,'Lift the bark, do not tear it. Close and seal against rain.',true),
 ('chip-bud','chip bud',9,'resting,waking,running,hardening','resting,ripe green',5,20,0.40,1.10,false,
   '45° stop cut, chip 12–18 mm, mate the faces, one side at least',1,1,'little wood, no need of slip',70,0.88,40,0.15,
   'Chip as deep as the place you cut for it. One side flush at least.',true),
 ('t-bud','T-bud (shield)',10,'running','ripe green,resting',4,25,0.25,1.00,false,'T 25 mm deep by a third of the girth, shield 20 mm',1,
   1,'fast, summer, thin bark; over 25 mm bark is too thick',80,0.90,40,0.05,'Bark must slip. Shield fully under the bark, petiole up.',
   true);

insert into house_way (key, sort, question, options, chosen, why)
select k, n, q, o, split_part(o, ' · ', 1), w from (values
 ('usable part of the shoot',1,'Usable part of the shoot','lower half · base third · all but the soft tip · everything sound',
   'lower half keeps the best wood and enough of it'),
 ('cut face length',2,'Cut face length','long, 3–5 × diameter · short, 45–60°',
  'a long face has more cambium and forgives uneven sizes'),
 ('laying a thinner scion',3,'Laying a thinner scion','flush on one side · tilted so the lines cross · centred (warns)',
   'flush gives most contact; tilt is safer for new hands'),
 ('wood behind a T-bud',4,'Wood behind a T-bud','left in · flipped out','faster; out for species with thick wood'),
 ('bud under the tie',5,'Bud under the tie','bare · covered by film','bare suits any tie'),
 ('buds per stock',6,'Buds per stock','one · two, keep the better','two where stock is dear and wood is plenty'),
 ('which side to bud',7,'Which side to bud','away from midday sun · windward · any','dries less, grows straighter'),
 ('sealing',8,'Sealing','wax film over all · brushed wax · tape only with cover','least to go wrong'),
 ('scion tip at cutting',9,'Scion tip at cutting','sealed with wax · with white glue · unsealed',''),
 ('callusing',10,'Callusing','cold box · cool room · warm union · pot at once','by genus'),
 ('tie off',11,'Tie off','by tie · all in late winter','prevents girdling'),
 ('heading back summer buds',12,'Heading back summer buds','late winter, just above the bud · leave a snag to autumn · at season''s end',
   'disease and frost kept from the wound; snag for straight stems'),
 ('suckers',13,'Suckers','all off · keep one nurse shoot till the scion grows',''),
 ('shoots kept',14,'Shoots kept','two until safe, then one · best one at once','insurance'),
 ('union at planting',15,'Union at planting','5–8 cm above soil · 5–8 cm below (severe winters)',
   'above keeps the stock''s effect and stops scion roots; below regrows from the base after frost'),
 ('knife',16,'Knife','fresh disposable blade · honed grafting knife · cutting tool',''),
 ('direction of cut',17,'Direction of cut','toward the guarded thumb · away from the body (new hands, schools)',
   'control; away for the untrained'),
 ('team',18,'Team','solo · cutter and tier',''),
 ('failed stocks',19,'Failed stocks','summer bud, then bench again · bench again · discard','')
) v(k,n,q,o,w);

insert into tie values
 ('film','stretch wax film','leave: buds grow through it, it gives',null),
 ('pvc','PVC or polythene tape','cut the bottom turn and leave loose 4 days, then off',6),
 ('vinyl','vinyl electrical tape','slit lengthwise',8),
 ('rubber','rubber strip','perishes in sun; in dull light or under cover, cut',5),
 ('fusing','self-fusing rubber tape','yes, later',10),
 ('raffia','raffia with wax over','cut',5);
insert into healing_way values
 ('cold callus','cold callus box',2,6,14,28),('cool room','cool room',7,15,10,21),('warm union','warm union',24,27,14,28),
 ('pot at once','straight to pot under cover',10,20,21,42),('in the row','in the row',null,null,14,30);
insert into cause (key, sort) select c, row_number() over () from unnest(array[
 'dried out','cambium missed','wood not ripe','wood weak or old in store','flower buds','scion upside down','cut face dirty or touched',
 'water got in, rot or black at the union','drowned by sap','tie girdled','tie came loose','stock died','knocked or broken',
   'suckers took over',
 'frosted after starting too early','animals','incompatible','mix-up (wrong variety)','not known']) c;
insert into compatibility values
 ('apple','apple','usual',''),('pear','pear','usual',''),('pear','quince','usual','some pears need an interstem'),
 ('quince','quince','usual',''),('medlar','quince','usual',''),('medlar','hawthorn','usual',''),('medlar','pear','with care',
   'weak on some'),
 ('pear','hawthorn','with care','short-lived on some'),('plum','plum','usual',''),('apricot','plum','usual',''),('peach','plum','usual',
   ''),('peach','peach','usual',''),
 ('apricot','apricot','usual',''),('cherry','cherry','usual',''),('cherry','plum','known bad','parts at the union'),
 ('apple','pear','known bad','grows, then parts'),('walnut','walnut','usual',''),('chestnut','chestnut','usual',''),('hazel','hazel',
   'usual',''),
 ('mulberry','mulberry','usual',''),('maple','maple','usual',''),('rose','rose','usual',''),('wisteria','wisteria','usual',''),('grape',
   'grape','usual',''),
 ('persimmon','persimmon','usual',''),('citrus','citrus','usual',''),('kiwifruit','kiwifruit','usual',''),('durian','durian','usual',''),
   ('pawpaw','pawpaw','usual','');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
