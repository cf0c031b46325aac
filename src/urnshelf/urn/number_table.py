"""What the names of numbers mean: a meaning with its unit, the least and the greatest, the
decimals, whether small ones come often; and below it the names.
"""

TABLE = """
money, prices | 1 999 2 skewed
    price amount cost fee charge total subtotal dues sum net gross toll fare bill due payment
    cashback refund_amount tip surcharge
money, a fine | 1 90 2 skewed
    fine penalty late_fee overdue_fee
money, an item's price | 0.5 400 2 skewed
    unit_price item_price unit_cost price_each price_per_unit list_price sale_price retail_price
money, a year's pay | 18000 140000 2 skewed
    salary annual_salary yearly_salary annual_income income gross_salary net_salary annual_pay
money, a month's pay | 1500 9000 2 skewed
    gross_pay net_pay monthly_salary monthly_income wage monthly_wage pension allowance
money, an hour's pay | 12 95 2 skewed
    hourly_rate hourly_wage rate_per_hour price_per_hour
money, a day's price | 25 450 2 skewed
    day_rate daily_rate rate_per_day price_per_day price_per_night nightly_rate
money, a month's rent | 350 3200 2 skewed
    rent monthly_rent rental lease_payment
money, insured | 5000 900000 2 skewed
    sum_insured insured_sum insured_amount coverage coverage_amount cover limit_of_liability
    property_value market_value purchase_price loan_amount principal mortgage
money, a premium | 60 1800 2 skewed
    premium annual_premium yearly_premium monthly_premium
money, borne by oneself | 50 1000 2 skewed
    excess deductible retention
money, a balance | 5 9000 2 skewed
    balance opening_balance closing_balance account_balance available_balance credit debit
    savings
money, a business's | 20000 4000000 2 skewed
    revenue turnover sales budget annual_revenue annual_budget capital equity assets
money, declared | 10 2500 2 skewed
    value declared_value item_value stock_value order_value basket_value
money, sent along | 3 60 2 skewed
    shipping shipping_cost shipping_fee postage delivery_fee handling_fee freight
money, a base fee | 2 60 2 skewed
    base_fee basic_fee monthly_fee standing_charge service_charge membership_fee
    subscription_fee
money, a unit of energy | 0.08 0.6 4
    price_per_kwh kwh_price energy_price unit_rate
money, per kilometre | 0.1 1.9 2
    price_per_km rate_per_km
money, per kilogram | 0.5 30 2 skewed
    price_per_kg rate_per_kg
money, per square metre | 5 30 2
    price_per_m2 rent_per_m2
money, a deposit | 50 2500 2 skewed
    deposit down_payment security
per cent | 0 100 1
    percentage percent pct share humidity relative_humidity moisture occupancy utilisation
    utilization coverage_percent progress completion battery battery_percent battery_level
    fill_level state_of_charge disk_usage cpu_usage memory_usage cpu_load attendance
    cloud_cover soil_moisture
per cent, of price | 0 30 0
    discount_percent discount_rate discount_pct rebate_percent markup margin_percent
    commission_percent commission_rate
per cent, of tax | 4 25 0
    tax_rate vat_rate tax_percent vat_percent vat_percentage tax_percentage
per cent, of interest | 0.5 9 2
    interest_rate interest apr mortgage_rate annual_rate yield inflation_rate growth_rate
a share of one | 0 1 3
    ratio fraction probability confidence power_factor accuracy precision recall similarity
    efficiency conversion_rate success_rate error_rate failure_rate weight_factor
a rate | 0.5 12 2
    rate
an exchange rate | 0.4 12 4
    exchange_rate fx_rate conversion_factor
degrees, north | -90 90 5
    latitude lat
degrees, east | -180 180 5
    longitude lon lng
degrees, round | 0 359 0
    heading bearing course direction wind_direction azimuth direction_deg heading_deg
    bearing_deg wind_direction_deg angle
°C | -10 30 1
    temperature air_temperature outdoor_temperature temp
°C, of water | 1 24 1
    water_temperature sea_temperature
°C, stored | 2 8 1
    storage_temperature fridge_temperature
°C, of rooms | 16 26 1
    room_temperature indoor_temperature target_temperature
hPa | 960 1045 1
    pressure air_pressure pressure_hpa barometric_pressure
bar | 0.5 12 1
    pressure_bar tyre_pressure
m/s | 0 22 1 skewed
    wind wind_speed wind_speed_ms gust gusts speed_ms
km/h | 5 130 1
    speed_kmh speed_limit max_speed_kmh velocity
knots | 1 25 1
    speed speed_kn knots speed_knots
mm, fallen | 0 40 1 skewed
    rainfall rainfall_mm precipitation precipitation_mm snowfall rain
pH | 5.5 8.8 1
    ph ph_value acidity
pieces | 1 40 0 skewed
    quantity qty pieces amount_of item_count order_quantity lot_size
grams, of food | 0 60 1 skewed
    protein_g fat_g carbs_g carbohydrates_g sugar_g fibre_g fiber_g salt_g protein fat carbs sugar
kcal | 60 900 0
    calories kcal energy_kcal
servings | 1 8 0
    servings portions lives renewals
a count | 1 100 0 skewed
    count number_of total_count visits views clicks likes comments downloads orders order_count
    purchases calls messages errors warnings retries
a small count | 0 5 0
    attempts tries retry_count failures children dependants dependents pets absences incidents
    complaints stops transfers bags cars
on stock | 0 500 0 skewed
    stock stock_level on_hand in_stock inventory reorder_level available
people, seats | 8 220 0
    capacity seats seat_count max_participants max_guests places headcount employees
    employee_count team_size
people, few | 1 8 0 skewed
    guests adults passengers persons people participants party_size household_size crew
    crew_size
kg | 0.2 400 1 skewed
    weight weight_kg mass mass_kg net_weight gross_weight net_weight_kg gross_weight_kg load_kg
    payload_kg
kg, of a parcel | 0.1 30 2 skewed
    parcel_weight parcel_weight_kg package_weight
g | 5 900 0 skewed
    weight_g mass_g grams
t | 1 500 1 skewed
    weight_t tonnage load_t cargo_t displacement_t gross_tonnage
m, long | 10 120 1
    length length_m loa
m, wide | 2 30 1
    width width_m height height_m beam beam_m air_draught air_draught_m
m, deep | 2 14 1
    depth depth_m draught draught_m
m, above the sea | 1 1800 0 skewed
    altitude altitude_m elevation elevation_m
cm | 5 120 0 skewed
    length_cm width_cm height_cm depth_cm diameter_cm
mm | 2 900 0 skewed
    length_mm width_mm height_mm depth_mm diameter_mm thickness_mm
km | 1 900 0 skewed
    distance distance_km range_km route_length_km trip_km
km, flown | 120 9000 0 skewed
    flight_distance_km
km, driven | 500 180000 0 skewed
    mileage mileage_km odometer odometer_km kilometres
nautical miles | 3 900 0 skewed
    distance_nm range_nm
m² | 25 240 1 skewed
    area area_m2 floor_area living_area surface size_m2 square_metres
ha | 1 400 1 skewed
    area_ha hectares
m³ | 1 300 1 skewed
    volume volume_m3
l | 0.5 80 1 skewed
    volume_l litres liters fuel_l tank_l capacity_l
ml | 5 750 0 skewed
    volume_ml millilitres dose_volume
ml, of a dose | 0.1 1 2
    dose_ml
mg | 5 800 0 skewed
    dose_mg dosage dosage_mg
kWh | 40 900 0 skewed
    kwh energy energy_kwh consumption consumption_kwh usage_kwh
kWh, on a meter | 500 60000 0 skewed
    reading meter_reading reading_kwh previous_reading current_reading
kW | 1 250 1 skewed
    power power_kw output_kw
W | 5 2000 0 skewed
    watts power_w wattage
V | 220 240 0
    voltage voltage_v volts
A | 6 63 0
    current_a ampere amps max_current max_current_a current_ampere
Hz | 49.8 50.2 2
    frequency frequency_hz
lux | 10 900 0 skewed
    lux illuminance brightness
dB | 30 95 0
    noise_level decibels noise_db
ppm | 380 1600 0 skewed
    co2 co2_ppm ppm
years of age | 18 90 0
    age
beats a minute | 52 110 0
    heart_rate pulse bpm resting_heart_rate
mmHg, upper | 100 160 0
    systolic systolic_pressure blood_pressure_systolic
mmHg, lower | 58 95 0
    diastolic diastolic_pressure blood_pressure_diastolic
breaths a minute | 11 22 0
    respiratory_rate breathing_rate
per cent, in blood | 92 100 0
    oxygen_saturation spo2 saturation
mmol/l | 3.8 9.5 1
    glucose blood_sugar glucose_mmol
°C, of bodies | 36 39.5 1
    body_temperature body_temperature_c fever
kg/m² | 17 36 1
    bmi
a year | 2000 2030 0
    year model_year fiscal_year
a year, of building | 1900 2027 0
    year_built built_year construction_year built_in founded_year
a month | 1 12 0
    month
a day of the month | 1 28 0
    day_of_month
a day of the week | 1 7 0
    day weekday day_of_week
a week | 1 52 0
    week week_number calendar_week
a quarter | 1 4 0
    quarter
days | 1 14 0
    days nights weeks lead_time lead_time_days delivery_days stay_days duration_days
    length_of_stay
days, of leave | 20 32 0
    vacation_days leave_days annual_leave holiday_entitlement
days, of a term | 14 60 0
    payment_terms payment_days net_days terms_days
months | 1 36 0 skewed
    months duration_months term_months warranty_months
months, of notice | 1 6 0
    notice notice_months notice_period notice_period_months
years | 1 30 0 skewed
    years duration_years term_years experience years_of_experience seniority
hours | 0 23 0
    hour hours
hours, a week | 20 40 1
    weekly_hours hours_per_week contract_hours working_hours
hours, worked | 8 180 1
    hours_worked worked_hours
hours, run | 10 9000 0 skewed
    operating_hours running_hours engine_hours flight_hours
minutes | 0 59 0
    minute minutes seconds second
minutes, long | 5 240 0 skewed
    duration duration_minutes duration_min minutes_long travel_minutes travel_time
    length_minutes runtime delay delay_minutes waiting_minutes
seconds, long | 1 900 0 skewed
    duration_seconds duration_s elapsed elapsed_seconds timeout timeout_seconds ttl latency_s
ms | 2 900 0 skewed
    latency latency_ms duration_ms response_time response_time_ms elapsed_ms ping
a mark, 1 is best | 1 6 0
    grade mark
°C, where dew forms | -8 18 1
    dew_point dew_point_c
a semester | 1 8 0
    semester term_number
goals | 0 6 0 skewed
    goals home_goals away_goals home_score away_score
story points | 1 13 0 skewed
    story_points effort_points
a rating | 1 5 1
    rating stars review_score satisfaction
points | 0 100 1
    score points test_score exam_score
level | 1 5 0
    version level priority rank severity urgency difficulty
rooms | 1 6 0 skewed
    rooms bedrooms room_count bathrooms
a floor | 0 9 0
    floor storey floor_number
floors | 1 12 0 skewed
    floors storeys levels
doors | 2 5 0
    doors
wheels | 4 8 0
    wheels axles
a dose | 1 3 0
    dose dose_number doses doses_required doses_given doses_total
a network port | 1024 49151 0
    port port_number tcp_port
an HTTP status | 200 204 0
    status_code http_status
bytes | 200 4000000 0 skewed
    bytes size_bytes file_size content_length size_in_bytes
KB | 1 9000 0 skewed
    size_kb kilobytes
MB | 1 900 0 skewed
    size_mb megabytes
MB, of memory | 512 65536 0 skewed
    memory_mb ram_mb memory_total_mb total_memory_mb
GB | 1 512 0 skewed
    size_gb gigabytes memory_gb disk_gb storage_gb
cores | 1 16 0
    cores cpus cpu_count
pages | 1 400 0 skewed
    pages page_count
a page | 1 20 0
    page page_number
a position | 1 20 0
    position line_number row_number sequence seq sort_order index ordinal step
an hourly limit | 10 1000 0
    rate_limit quota limit
carats, small size | 0.2 3 2 skewed
    carats
a shoe size | 35 47 0
    shoe_size
"""
OF_PEOPLE = """
cm, of people | 150 198 0
    height_cm
m, of people | 1.5 1.98 2
    height_m height
kg, of people | 46 118 1
    weight_kg weight mass
°C, of people | 36 39.5 1
    temperature temperature_c temp
"""
OF_FLIGHTS = """
money, a flight's | 29 900 2 skewed
    price fare ticket_price
people, in a plane | 48 380 0
    seats capacity seat_count passengers
km, flown | 180 9000 0 skewed
    distance_km distance
"""
OF_HOMES = """
money, a home's | 60000 950000 0 skewed
    price asking_price sold_price list_price purchase_price sale_price
"""
