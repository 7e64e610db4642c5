-- +goose Up
-- Rules put right: how the soil was when bark was tested, readings in doubt, a
-- verdict of the season overruled, what a stick was, and craft figures.

alter table season_seen add column soil text not null default '' check (soil in ('', 'wet', 'dry'));

alter table store_reading add column doubted boolean not null default false;  -- not counted until somebody says that it is right

-- A technique used although the season shuts it: why, in the batch's weave and on each tag.
alter table batch_thread add column against text not null default '';
alter table tag add column against text not null default '';

-- Sticks are measured as whole shoots, or as cut from the base of one; a graft's
-- face eats buds beside those that are left on the piece.
alter table wood_bundle add column whole_shoot boolean not null default true;
alter table wood_bundle add column face_buds int not null default 0 check (face_buds between 0 and 6);
alter table wood_bundle drop constraint wood_bundle_state_check;
alter table wood_bundle add constraint wood_bundle_state_check check (state in ('resting', 'ripe green', 'half-ripe'));

-- A genus whose ordinary way is the summer bud is reckoned by it.
alter table genus add column usual_way text not null default 'graft' check (usual_way in ('graft', 'summer bud'));
update genus set usual_way = 'summer bud' where key = 'rose';

-- Figures that the house has not changed follow the craft.
update technique set ratio_max = 1.00 where key = 'chip-bud' and ratio_max = 1.10;
update technique set good_for = 'fast, summer, thin bark; best to 12 mm; over 25 mm bark is too thick' where key = 't-bud' and good_for =
  'fast, summer, thin bark; over 25 mm bark is too thick';
update technique set name = 'bark flap, top left on', wood_states = 'half-ripe,resting', good_for = 'leafy stock, warm climates',
  cut = '50 mm flap, 25 mm bevel to mid-stem in one stroke, short back chamfer covered by what is left of the flap'
  where key = 'bark-flap' and name = 'bark flap';
update technique set sort = sort + 1 where sort >= 9;
insert into technique values
 ('rind-graft','rind graft, stock headed',9,'running','resting',20,150,0.05,0.50,false,
   'bark slit 40 mm, 30–40 mm bevel, several scions round a stump',2,3,'grafting over, big stumps',15,0.80,40,0.05,
  'Slit the bark only where a scion goes. Push the scion down until its shoulder sits on the stump; wax the whole top.',true);

update house_way set options = 'long, 3–5 × diameter · short, 25–35° to the stem',
  chosen = case when chosen = 'short, 45–60°' then
  'short, 25–35° to the stem' else chosen end
  where key = 'cut face length';

-- Compatibility by section or species, where the genus misleads.
alter table variety add column section text not null default '';
alter table stock_type add column section text not null default '';
create table section_pair (
  scion_genus   text not null references genus,
  scion_section text not null,
  stock_genus   text not null references genus,
  stock_section text not null,
  verdict       text not null check (verdict in ('usual', 'with care', 'known bad')),
  note          text not null default '',
  primary key (scion_genus, scion_section, stock_genus, stock_section)
);
-- The sections that a genus' varieties and stocks are told apart by.
create table genus_section (
  genus text not null references genus,
  name  text not null,
  sort  int not null,
  primary key (genus, name)
);
insert into genus_section (genus, name, sort) values
 ('maple','Palmata',1),('maple','Platanoidea',2),('maple','Acer',3),('maple','Macrantha',4),('maple','Trifoliata',5),('maple','Rubra',6),
 ('plum','European and damson',1),('plum','Japanese',2),('plum','cherry plum',3),('plum','bush cherry',4),
 ('cherry','sweet',1),('cherry','sour',2),('cherry','Japanese flowering',3),('cherry','bird cherry and laurel',4),
 ('apricot','apricot',1),('peach','peach and almond',1);
-- Within a section: usual. Between sections, as noted; else it is not known.
insert into section_pair (scion_genus, scion_section, stock_genus, stock_section, verdict, note) values
 ('maple','Palmata','maple','Platanoidea','known bad','other sections: parts at the union'),
 ('maple','Palmata','maple','Acer','known bad','other sections: parts at the union'),
 ('maple','Acer','maple','Platanoidea','with care','some live, few for long'),
 ('maple','Platanoidea','maple','Acer','with care','some live, few for long'),
 ('maple','Macrantha','maple','Palmata','known bad','other sections: parts at the union'),
 ('maple','Trifoliata','maple','Palmata','with care','slow, and weak on some'),
 ('plum','European and damson','plum','cherry plum','usual',''),
 ('plum','Japanese','plum','cherry plum','usual',''),
 ('plum','Japanese','plum','European and damson','with care','overgrows on some'),
 ('plum','European and damson','plum','bush cherry','with care','weak, suckers'),
 ('cherry','sweet','cherry','sour','with care','dwarfed; some part'),
 ('cherry','sour','cherry','sweet','usual',''),
 ('cherry','Japanese flowering','cherry','sweet','usual',''),
 ('cherry','sweet','cherry','bird cherry and laurel','known bad','grows, then parts'),
 ('cherry','sour','cherry','bird cherry and laurel','known bad','grows, then parts'),
 ('apricot','apricot','plum','cherry plum','with care','breaks at the union in wind on some'),
 ('apricot','apricot','plum','European and damson','usual',''),
 ('peach','peach and almond','plum','European and damson','usual',''),
 ('peach','peach and almond','plum','cherry plum','with care','short-lived on many');

-- +goose Down
-- +goose StatementBegin
do $$ begin raise exception 'migrations go forward only: bring a copy back instead'; end $$;
-- +goose StatementEnd
